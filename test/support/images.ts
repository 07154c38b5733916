/** Makes images by hand, also wrong ones, as layouts in one tar archive. */
import { createHash } from 'node:crypto';
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { folderWith, HORN, type Files } from './program';
import { makeTar, type RawTarEntry } from './tar-bytes';

export const sha256 = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex');
export const GZIP_LAYER = 'application/vnd.oci.image.layer.v1.tar+gzip';
export const MANIFEST_TYPE = 'application/vnd.oci.image.manifest.v1+json';
export const INDEX_TYPE = 'application/vnd.oci.image.index.v1+json';
const CONFIG_TYPE = 'application/vnd.oci.image.config.v1+json';

export interface HandImage {
  readonly layers: readonly (readonly RawTarEntry[] | Buffer)[];
  readonly config?: Readonly<Record<string, unknown>>;
  readonly architecture?: string;
  readonly annotations?: Readonly<Record<string, string>>;
  /** Said instead of the truth. */
  readonly diffIds?: readonly string[];
  readonly layerType?: string;
  readonly types?: { readonly manifest: string; readonly config: string };
  readonly platform?: Readonly<Record<string, string>>;
}

export interface MadeImage {
  readonly blobs: ReadonlyMap<string, Buffer>;
  readonly manifest: { readonly mediaType: string; readonly digest: string; readonly size: number };
  readonly layers: readonly { readonly digest: string; readonly size: number }[];
}

export function makeImage(image: HandImage): MadeImage {
  const blobs = new Map<string, Buffer>();
  const add = (mediaType: string, bytes: Buffer) => {
    blobs.set(sha256(bytes), bytes);
    return { mediaType, digest: `sha256:${sha256(bytes)}`, size: bytes.length };
  };
  const plain = image.layers.map((layer) => (Buffer.isBuffer(layer) ? layer : makeTar(layer)));
  const layers = plain.map((bytes) => add(image.layerType ?? GZIP_LAYER, gzipSync(bytes)));
  const config = add(
    image.types?.config ?? CONFIG_TYPE,
    Buffer.from(
      JSON.stringify({
        architecture: image.architecture ?? 'amd64',
        os: 'linux',
        config: image.config ?? {},
        rootfs: { type: 'layers', diff_ids: image.diffIds ?? plain.map((bytes) => `sha256:${sha256(bytes)}`) },
      }),
    ),
  );
  const mediaType = image.types?.manifest ?? MANIFEST_TYPE;
  const { annotations } = image;
  const manifest = add(
    mediaType,
    Buffer.from(JSON.stringify({ schemaVersion: 2, mediaType, config, layers, annotations })),
  );
  return { blobs, manifest, layers };
}

/** A layout with these images, as one tar archive. */
export function layoutTar(
  images: readonly HandImage[],
  change: (blobs: Map<string, Buffer>) => void = () => undefined,
): Buffer {
  const made = images.map((image) => ({ ...makeImage(image), platform: image.platform }));
  const blobs = new Map(made.flatMap((one) => [...one.blobs]));
  change(blobs);
  const manifests = made.map(({ manifest, platform }) => ({
    ...manifest,
    ...(platform !== undefined && { platform }),
  }));
  return makeTar([
    { name: 'oci-layout', data: '{"imageLayoutVersion":"1.0.0"}' },
    { name: 'index.json', data: JSON.stringify({ schemaVersion: 2, manifests }) },
    ...[...blobs].map(([hex, data]) => ({ name: `blobs/sha256/${hex}`, data })),
  ]);
}

/** The same as a folder. */
export function layoutFolder(folder: string, images: readonly HandImage[]): void {
  mkdirSync(join(folder, 'blobs/sha256'), { recursive: true });
  const made = images.map((image) => ({ ...makeImage(image), platform: image.platform }));
  for (const { blobs } of made)
    for (const [hex, bytes] of blobs) writeFileSync(join(folder, 'blobs/sha256', hex), bytes);
  writeFileSync(join(folder, 'oci-layout'), '{"imageLayoutVersion":"1.0.0"}');
  const manifests = made.map(({ manifest, platform }) => ({
    ...manifest,
    ...(platform !== undefined && { platform }),
  }));
  writeFileSync(join(folder, 'index.json'), JSON.stringify({ schemaVersion: 2, manifests }));
}

/** A project with one function `horn` as an image for x86_64, whose keys may be changed or added. */
export function imageProject(destination: string, keys: Readonly<Record<string, unknown>>, more: Files = {}): string {
  const spec = {
    source: 'src',
    runtime: 'node 20',
    entry: 'horn.mjs#sound',
    artifact: 'image',
    arch: ['x86_64'],
    ...keys,
  };
  const sheet = {
    project: 'fernhaven-tides',
    destinations: { moorings: 'moorings.yaml' },
    defaults: { destination: 'moorings' },
    functions: { horn: spec },
  };
  return folderWith({
    'emballage.yaml': JSON.stringify(sheet),
    'moorings.yaml': destination,
    'src/horn.mjs': HORN,
    'event.json': '{"blasts":3}',
    ...more,
  });
}

/** A base that starts what it names. */
export const NODE_AND_SHELL = [
  { name: 'usr/bin/node', data: '#!/usr/bin/sh\n', mode: 0o755 },
  { name: 'usr/bin/sh', data: 'sh', mode: 0o755 },
];
