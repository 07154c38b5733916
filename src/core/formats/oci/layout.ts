/** Image layouts (image-spec, "Image Layout"): a folder, or one tar archive of it, with blobs by their digests. */
import { printable } from '../../base/text';
import { formatSize } from '../../base/units';
import { contentDigest } from '../../base/digest';
import {
  badImage,
  hexOf,
  MAX_CONFIG_BYTES,
  MAX_MANIFEST_BYTES,
  readConfig,
  readIndex,
  readManifest,
} from './documents';
import { isIndexType, isManifestType } from './media';
import { ANNOTATION, type Descriptor, type ImageConfig, type ImageIndex, type Manifest } from './model';

/** A stretch of a file. */
export interface Stretch {
  /** Absolute path. */
  readonly path: string;
  readonly at: number;
  readonly size: number;
}

/** What holds blobs: a folder, a tar archive, a store. */
export interface BlobHolder {
  /** As shown to people. */
  readonly shown: string;
  /** Where a blob lies; undefined where it does not. @param hex of its SHA-256 */
  find(hex: string): Stretch | undefined;
  read(stretch: Stretch): Buffer;
}

export interface ImageLayout extends BlobHolder {
  readonly index: ImageIndex;
}

export const LAYOUT_FILE = 'oci-layout';
export const INDEX_FILE = 'index.json';
export const BLOBS_FOLDER = 'blobs/sha256';
export const LAYOUT_BYTES = Buffer.from('{"imageLayoutVersion":"1.0.0"}');

/** An image for one architecture: its documents, verified against their digests. */
export interface ImageDocuments {
  readonly descriptor: Descriptor;
  readonly manifest: Manifest;
  readonly manifestBytes: Buffer;
  readonly config: ImageConfig;
  readonly configBytes: Buffer;
}

/** Indexes may hold indexes, but nobody needs many (and one may list itself). */
const MAX_DEPTH = 4;
const MAX_IMAGES = 1000;

export interface FoundManifest {
  readonly descriptor: Descriptor;
  readonly bytes: Buffer;
}

/**
 * All image manifests that an index leads to; what stands beside them, such as signatures, is passed over.
 * @throws EmballageError IMAGE_INVALID where one is missing or not what its digest says
 */
export function manifestsOf(holder: BlobHolder, index: ImageIndex, depth = 0): FoundManifest[] {
  if (depth > MAX_DEPTH) throw badImage(holder.shown, 'indexes nested a few levels deep', 'ones that go on');
  const found: FoundManifest[] = [];
  for (const descriptor of index.manifests) {
    if (isIndexType(descriptor.mediaType)) {
      const bytes = readBlob(holder, descriptor, MAX_MANIFEST_BYTES);
      found.push(...manifestsOf(holder, readIndex(bytes, descriptor.digest), depth + 1));
    } else if (isManifestType(descriptor.mediaType))
      found.push({ descriptor, bytes: readBlob(holder, descriptor, MAX_MANIFEST_BYTES) });
    if (found.length > MAX_IMAGES) throw badImage(holder.shown, `at most ${String(MAX_IMAGES)} images`, 'more');
  }
  return found;
}

/** Those of a layout that are marked with a name (annotation `org.opencontainers.image.ref.name`). */
export function named(index: ImageIndex, name: string | undefined): ImageIndex {
  if (name === undefined) return index;
  return {
    ...index,
    manifests: index.manifests.filter(({ annotations }) => annotations?.[ANNOTATION.refName] === name),
  };
}

/** @throws EmballageError IMAGE_INVALID */
export function readDocuments(holder: BlobHolder, { descriptor, bytes }: FoundManifest): ImageDocuments {
  const manifest = readManifest(bytes, `${holder.shown}, ${descriptor.digest}`);
  const configBytes = readBlob(holder, manifest.config, MAX_CONFIG_BYTES);
  const config = readConfig(configBytes, `${holder.shown}, ${manifest.config.digest}`);
  if (config.diffIds.length !== manifest.layers.length)
    throw badImage(
      holder.shown,
      `${String(manifest.layers.length)} layers in its configuration, as in its manifest`,
      String(config.diffIds.length),
    );
  return { descriptor, manifest, manifestBytes: bytes, config, configBytes };
}

/**
 * A small blob, verified.
 * @throws EmballageError IMAGE_INVALID
 */
export function readBlob(holder: BlobHolder, { digest, size }: Descriptor, most: number): Buffer {
  const stretch = findBlob(holder, { digest, size });
  if (size > most) throw badImage(holder.shown, `at most ${formatSize(most)} of \`${digest}\``, formatSize(size));
  const bytes = holder.read(stretch);
  const found = contentDigest(bytes);
  if (found !== hexOf(digest)) throw badImage(holder.shown, `the content of \`${digest}\``, `that of sha256:${found}`);
  return bytes;
}

/** Where a blob lies, which is as long as is said. */
export function findBlob(holder: BlobHolder, { digest, size }: Pick<Descriptor, 'digest' | 'size'>): Stretch {
  const stretch = holder.find(hexOf(digest));
  if (stretch === undefined) throw badImage(holder.shown, `the blob \`${digest}\``, 'nothing of that digest');
  if (stretch.size === size) return stretch;
  throw badImage(holder.shown, `${String(size)} bytes of \`${printable(digest)}\``, String(stretch.size));
}
