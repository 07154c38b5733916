/** The binary form: the artifact is the executable itself, and nothing beside it. */
import { createHash } from 'node:crypto';
import type { PackedFile } from '../../fileset/model';
import type { ZipSink } from '../../formats/zip';
import type { Packed, PackRequest } from '../packing';

/** @throws Error where the file set is not one file */
export function packBinary({
  fileSet,
  pieces,
  sink,
  onProgress,
}: Pick<PackRequest, 'fileSet' | 'pieces' | 'onProgress'> & { readonly sink: ZipSink }): Packed {
  const [file] = fileSet.entries.filter((entry): entry is PackedFile => entry.kind === 'file');
  if (file === undefined || fileSet.entries.length !== 1) throw new Error('an executable is one file');
  const hash = createHash('sha256');
  let size = 0;
  for (const piece of pieces(file)) {
    hash.update(piece);
    sink.append(piece);
    size += piece.length;
    onProgress?.(size);
  }
  return { size, unpacked: size, digests: new Map([[file.path, hash.digest('hex')]]) };
}
