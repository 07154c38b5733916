/** Says where two image layouts, each one tar archive, first differ, in the format's own terms. */
import { gunzipSync } from 'node:zlib';
import { printable } from '../../base/text';
import { byteAt, firstDifferentByte, sourceOfBytes, type ByteSource } from '../byte-source';
import { listTar, type PlacedHead } from '../tar';
import { hexOf, readConfig, readIndex, readManifest } from './documents';
import { BLOBS_FOLDER, INDEX_FILE } from './layout';
import type { ImageConfig, Manifest } from './model';

export interface ImageDifference {
  /** The layer and the path in it, where it is in one. */
  readonly entry?: string;
  readonly field: string;
  readonly first: string;
  readonly second: string;
}

/** The largest layer that is unpacked to look into it. */
const MAX_LAYER_BYTES = 1024 ** 3;

interface Read {
  readonly manifest: Manifest;
  readonly config: ImageConfig;
  /** The content of a layer, plain; undefined for one that is too large. */
  layer(i: number): Buffer | undefined;
}

/** The first difference between two layouts, in words; undefined where they are the same. */
export function firstImageDifference(a: ByteSource, b: ByteSource): ImageDifference | undefined {
  const differs = firstDifferentByte(a, b);
  if (differs === undefined) return undefined;
  const [first, second] = [readImage(a, 'the first image'), readImage(b, 'the second image')];
  const [x, y] = [first.manifest.layers, second.manifest.layers];
  if (x.length !== y.length) return { field: 'number of layers', first: String(x.length), second: String(y.length) };
  const i = x.findIndex(({ digest }, at) => digest !== y[at]?.digest);
  if (i >= 0) return inLayer(i, first, second);
  const configs = [first.config, second.config].map((config) => JSON.stringify(config));
  if (configs[0] !== configs[1]) return inConfig(first.config, second.config);
  return { field: `byte ${String(differs)}`, first: byteAt(a, differs), second: byteAt(b, differs) };
}

function inLayer(i: number, first: Read, second: Read): ImageDifference {
  const layer = `layer ${String(i + 1)}`;
  const [a, b] = [first.layer(i), second.layer(i)];
  const shown = (read: Read): string => (read.manifest.layers[i]?.digest ?? '').slice(0, 19);
  const whole = { entry: layer, field: 'digest', first: shown(first), second: shown(second) };
  if (a === undefined || b === undefined) return whole;
  const [x, y] = [a, b].map((bytes) => [...listTar(sourceOfBytes(bytes), layer)]);
  for (let at = 0; at < Math.max(x?.length ?? 0, y?.length ?? 0); at++) {
    const difference = inEntry(x?.[at], y?.[at], a, b);
    if (difference !== undefined) return { ...difference, entry: `${layer}, ${difference.entry ?? ''}` };
  }
  return a.equals(b) ? { ...whole, field: 'compressed bytes' } : whole;
}

function inEntry(
  a: PlacedHead | undefined,
  b: PlacedHead | undefined,
  first: Buffer,
  second: Buffer,
): ImageDifference | undefined {
  const name = (one: PlacedHead | undefined): string => printable(one?.head.path ?? '(none)');
  if (a?.head.path !== b?.head.path || a === undefined || b === undefined)
    return { entry: name(a ?? b), field: 'entry name', first: name(a), second: name(b) };
  for (const field of ['kind', 'mode', 'uid', 'gid', 'mtimeSeconds', 'target', 'size'] as const)
    if (a.head[field] !== b.head[field]) {
      const shown = ({ head }: PlacedHead): string =>
        field === 'mode' ? `0${head.mode.toString(8)}` : printable(String(head[field] ?? 'none'));
      return { entry: name(a), field, first: shown(a), second: shown(b) };
    }
  const [x, y] = [
    sourceOfBytes(first.subarray(a.at, a.at + a.head.size)),
    sourceOfBytes(second.subarray(b.at, b.at + b.head.size)),
  ];
  const at = firstDifferentByte(x, y);
  if (at === undefined) return undefined;
  return { entry: name(a), field: `byte ${String(at)}`, first: byteAt(x, at), second: byteAt(y, at) };
}

function inConfig(a: ImageConfig, b: ImageConfig): ImageDifference {
  const fields = Object.keys({ ...a, ...b }) as (keyof ImageConfig)[];
  const field = fields.find((one) => JSON.stringify(a[one]) !== JSON.stringify(b[one])) ?? 'run';
  const shown = (config: ImageConfig): string => printable(JSON.stringify(config[field]).slice(0, 80));
  return { entry: 'configuration', field, first: shown(a), second: shown(b) };
}

function readImage(source: ByteSource, name: string): Read {
  const members = new Map([...listTar(source, name)].map(({ head, at }) => [head.path, { at, size: head.size }]));
  const read = (path: string): Buffer => {
    const { at, size } = members.get(path) ?? { at: 0, size: 0 };
    return Buffer.from(source.read(at, size));
  };
  const blob = (digest: string): Buffer => read(`${BLOBS_FOLDER}/${hexOf(digest)}`);
  const [top] = readIndex(read(INDEX_FILE), name).manifests;
  const manifest = readManifest(blob(top?.digest ?? 'sha256:'), name);
  return {
    manifest,
    config: readConfig(blob(manifest.config.digest), name),
    layer(i) {
      const layer = manifest.layers[i];
      if (layer === undefined || layer.size > MAX_LAYER_BYTES) return undefined;
      try {
        return gunzipSync(blob(layer.digest), { maxOutputLength: MAX_LAYER_BYTES });
      } catch {
        // Too large to look into, or not compressed.
        return undefined;
      }
    },
  };
}
