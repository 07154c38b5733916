/** What the files of an image weigh, layer by layer, with what upper layers hide of lower ones. */
import type { OpenImage } from '../../disk/unpack/open-image';
import { layerName } from '../../findings/image';
import {
  asParts,
  BASE,
  countFiles,
  looksLikeProgram,
  programParts,
  shares,
  UNKNOWN,
  type Knowing,
  type LayerGroup,
  type PartOwner,
  type PlainPart,
  type ReadParts,
  type ReadPartsRequest,
} from '../weighing';
import { withOpenImage } from './image-subject';

export interface ImageParts {
  readonly parts: readonly PlainPart[];
  readonly layers: readonly LayerGroup[];
}

/** @param size bytes of the layout; @param nameOf the name of a layer, the lowest being 0 */
export function imageParts(image: OpenImage, size: number, nameOf: (layer: number) => string): ImageParts {
  const parts: PlainPart[] = [];
  const layers: LayerGroup[] = [];
  let sent = 0;
  for (const [i, { descriptor, unpacked, entries }] of image.layers.entries()) {
    const layer = nameOf(i);
    const heads = entries.map(({ head }) => head);
    const weights = heads.map((head) => (head.kind === 'file' ? head.size : 0));
    const own = weights.reduce((a, b) => a + b, 0);
    // A layer is compressed as one: what a file takes of it is its share.
    const packed = shares(descriptor.size, [...weights, unpacked - own]);
    for (const [at, head] of heads.entries()) {
      const kind = head.kind === 'folder' || head.kind === 'file' ? head.kind : 'link';
      const isProgram = kind === 'file' && looksLikeProgram(head.path, head.mode);
      parts.push({ path: head.path, kind, unpacked: weights[at] ?? 0, packed: packed[at] ?? 0, isProgram, layer });
    }
    const frame = { unpacked: unpacked - own, packed: packed.at(-1) ?? 0 };
    parts.push({ path: `the archive of layer ${layer}`, kind: 'frame', ...frame, layer });
    const hidden = image.tree.shadowed.filter((one) => one.layer === i);
    const wasted = hidden.reduce((sum, one) => sum + one.size, 0);
    const files = heads.filter(({ kind }) => kind !== 'folder').length;
    layers.push({ name: layer, files, unpacked, packed: descriptor.size, wasted });
    sent += descriptor.size;
  }
  const rest = Math.max(0, size - sent);
  return { parts: [...parts, { path: 'the image’s documents', kind: 'frame', unpacked: 0, packed: rest }], layers };
}

/** What an image weighs, its base apart, with what is in the program that it starts. */
export async function weighImage(request: ReadPartsRequest, knowing: Knowing): Promise<ReadParts> {
  const { waybill } = knowing;
  const { path, shown, arch, scratch } = request;
  return withOpenImage({ path, shown, arch, scratch }, (image) => {
    const blobs = [image.descriptor, image.manifest.config, ...image.manifest.layers];
    const size = blobs.reduce((sum, one) => sum + one.size, 0);
    const { parts, layers } = imageParts(image, size, (i) => layerName({ ...(waybill && { waybill }) }, i));
    const read = (part: string, size: number): Uint8Array | undefined => {
      const node = image.tree.node(part);
      return node?.head.kind === 'file' && node.head.size === size ? image.read(node, 0, size) : undefined;
    };
    const own = new Set(waybill?.image?.layers.map(({ name }) => name));
    const ownerOf = (_: string, layer: string | undefined): PartOwner =>
      waybill !== undefined && layer !== undefined && !own.has(layer) ? BASE : UNKNOWN;
    return Promise.resolve({
      size,
      files: countFiles(parts),
      layers,
      packedIsShared: true,
      parts: programParts(asParts(parts, knowing, ownerOf), knowing, read),
    });
  });
}
