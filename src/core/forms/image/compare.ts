/** Images in a folder or in one file: configuration, layers, and the files in them. */
import { existsSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { gunzipSync } from 'node:zlib';
import { sourceOfBytes, type ByteSource } from '../../formats/byte-source';
import { isGzip } from '../../formats/gzip';
import {
  BLOBS_FOLDER,
  hexOf,
  INDEX_FILE,
  LAYOUT_FILE,
  readConfig,
  readIndex,
  readManifest,
  type ImageConfig,
  type Manifest,
} from '../../formats/oci';
import { listTar } from '../../formats/tar';
import {
  compareTrees,
  lazyFile,
  part,
  tarTree,
  type Comparing,
  type Content,
  type Detail,
  type Difference,
  type FormSide,
  type Looked,
} from '../comparing';

const MOST_LAYER_BYTES = 1024 ** 3;

/** Blobs of a layout, wherever they lie. */
export interface ImageSide extends FormSide {
  /** Of the manifest: the image’s own. */
  readonly digest: string;
  /** Bytes of its manifest and all that this names, as they are sent. */
  readonly size: number;
  readonly manifest: Manifest;
  readonly config: ImageConfig;
  blob(digest: string): ByteSource | undefined;
}

/** The image of a layout that is a folder. @param path absolute @returns undefined for a folder of another kind */
export function imageAt(path: string, shown: string): ImageSide | undefined {
  if (!existsSync(join(path, LAYOUT_FILE))) return undefined;
  return imageOf(shown, (name) => {
    const at = statSync(join(path, name), { throwIfNoEntry: false });
    return at?.isFile() === true ? lazyFile(join(path, name), at.size) : undefined;
  });
}

/** The image of a layout that is one tar archive. @returns undefined for an archive of another kind */
export function imageIn({ source, name }: Content): ImageSide | undefined {
  const members = new Map([...listTar(source, name)].map(({ head, at }) => [head.path, part(source, at, head.size)]));
  if (!members.has(LAYOUT_FILE)) return undefined;
  return imageOf(name, (path) => members.get(path));
}

/** @param read a file of the layout */
function imageOf(name: string, read: (path: string) => ByteSource | undefined): ImageSide | undefined {
  const bytes = (path: string): Uint8Array => {
    const found = read(path);
    return found === undefined ? new Uint8Array() : found.read(0, found.size);
  };
  const blob = (digest: string): ByteSource | undefined => read(`${BLOBS_FOLDER}/${hexOf(digest)}`);
  const [top] = readIndex(bytes(INDEX_FILE), name).manifests;
  if (top === undefined) return undefined;
  const manifest = readManifest(bytes(`${BLOBS_FOLDER}/${hexOf(top.digest)}`), name);
  return {
    as: 'image',
    digest: top.digest,
    size: [top, manifest.config, ...manifest.layers].reduce((sum, one) => sum + one.size, 0),
    manifest,
    config: readConfig(bytes(`${BLOBS_FOLDER}/${hexOf(manifest.config.digest)}`), name),
    blob,
  };
}

/** Two images by their configurations and layers. */
export function compareImages(a: ImageSide, b: ImageSide, comparing: Comparing, where: string): Looked {
  const config = configDetails(a.config, b.config);
  const inside: Difference[] = [];
  if (config.length > 0)
    inside.push({ change: 'changed', path: 'configuration', by: 0, as: 'configuration', details: config });
  if (a.config.created !== b.config.created)
    comparing.note('time', 'configuration, created', a.config.created ?? 'none', b.config.created ?? 'none');
  inside.push(...layerDifferences(a, b, comparing, where));
  return { as: 'image', inside, ...(inside.length === 0 && { cause: 'compressor' as const }) };
}

/** What is run and for what; the times and digests of layers are told elsewhere. */
function configDetails(a: ImageConfig, b: ImageConfig): Detail[] {
  const plain = ({
    created: _created,
    diffIds: _diffIds,
    history: _history,
    ...rest
  }: ImageConfig): Record<string, unknown> => {
    const { run, ...own } = rest as Record<string, unknown>;
    return { ...own, ...(typeof run === 'object' ? run : {}) };
  };
  const [x, y] = [plain(a), plain(b)];
  const shown = (value: unknown): string => (value === undefined ? 'nothing' : JSON.stringify(value));
  return [...new Set([...Object.keys(x), ...Object.keys(y)])].flatMap((what) =>
    shown(x[what]) === shown(y[what]) ? [] : [{ what, a: shown(x[what]), b: shown(y[what]) }],
  );
}

/** Equal layers are settled by their digests; the others are paired in their order. */
function layerDifferences(a: ImageSide, b: ImageSide, comparing: Comparing, where: string): Difference[] {
  const [x, y] = [a.manifest.layers, b.manifest.layers];
  const there = new Set(y.map(({ digest }) => digest));
  const here = new Set(x.map(({ digest }) => digest));
  const [gone, come] = [x.filter(({ digest }) => !there.has(digest)), y.filter(({ digest }) => !here.has(digest))];
  const pairs = Math.max(gone.length, come.length);
  return Array.from({ length: pairs }, (_, i): Difference[] => {
    const [from, to] = [gone[i], come[i]];
    const path = `layer ${String((from === undefined ? y.indexOf(to ?? come[0] ?? (y[0] as never)) : x.indexOf(from)) + 1)}`;
    if (from === undefined) return [{ change: 'added', path, by: to?.size ?? 0, details: [] }];
    if (to === undefined) return [{ change: 'removed', path, by: -from.size, details: [] }];
    const [first, second] = [plainLayer(a, from.digest), plainLayer(b, to.digest)];
    const by = to.size - from.size;
    if (first === undefined || second === undefined)
      return [{ change: 'changed', path, by, details: [{ what: 'digest', a: from.digest, b: to.digest }] }];
    const inside = compareTrees(
      tarTree(first, path),
      tarTree(second, path),
      comparing,
      where === '' ? path : `${where} › ${path}`,
    );
    if (inside.length === 0) {
      const isSame =
        first.size === second.size && Buffer.compare(first.read(0, first.size), second.read(0, second.size)) === 0;
      if (isSame) comparing.note('compressor', path, `${String(from.size)} bytes`, `${String(to.size)} bytes`);
      return [];
    }
    return [{ change: 'changed', path, by, as: 'layer', details: [], inside }];
  }).flat();
}

function plainLayer(side: ImageSide, digest: string): ByteSource | undefined {
  const blob = side.blob(digest);
  if (blob === undefined || blob.size > MOST_LAYER_BYTES) return undefined;
  const bytes = blob.read(0, blob.size);
  if (!isGzip(bytes)) return sourceOfBytes(bytes);
  try {
    return sourceOfBytes(gunzipSync(bytes, { maxOutputLength: MOST_LAYER_BYTES }));
  } catch {
    // Too large to look into, or damaged.
    return undefined;
  }
}
