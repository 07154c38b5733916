/** Files of an image, from the entries of a tar. */
import type { ImageFiles } from '../../src/core/disk/unpack/in-image';
import { sourceOfBytes } from '../../src/core/formats/byte-source';
import { stackLayers } from '../../src/core/formats/oci';
import { listTar } from '../../src/core/formats/tar';
import { makeTar, type RawTarEntry } from './tar-bytes';

export function imageFiles(...entries: readonly RawTarEntry[]): ImageFiles {
  const bytes = makeTar(entries);
  return {
    tree: stackLayers([[...listTar(sourceOfBytes(bytes), 'layer')]], 'image'),
    read: (node, at, length) => bytes.subarray(node.at + at, node.at + at + length),
  };
}
