/** The image of a function for all its architectures: a layout folder with the index over them. */
import { mkdirSync, renameSync, rmSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { guarded, temporaryBeside, writeWhole } from '../../disk/write';
import {
  ANNOTATION,
  BLOBS_FOLDER,
  findBlob,
  hexOf,
  INDEX_FILE,
  LAYOUT_BYTES,
  LAYOUT_FILE,
  MAX_MANIFEST_BYTES,
  OCI_INDEX,
  OCI_MANIFEST,
  readBlob,
  readManifest,
  writeIndex,
  type BlobHolder,
  type Descriptor,
} from '../../formats/oci';
import { imageIndex } from '../../forms/image';
import type { Arch, FunctionSpec } from '../../sheet';
import { wholeLayoutPath, type Project } from '../../project/targets';
import { blobStore, type BlobStore } from './blob-store';

export interface OneImage {
  readonly arch: Arch;
  /** Of its manifest, in hexadecimal. */
  readonly sha256: string;
}

/** The index over images whose manifests a holder has. */
function indexOver(
  holder: BlobHolder,
  images: readonly OneImage[],
  title: string,
): { readonly descriptor: Descriptor; readonly bytes: Buffer } {
  const manifests = images.map(({ arch, sha256 }) => ({ arch, manifest: manifestOf(holder, sha256) }));
  return imageIndex(manifests, title);
}

function manifestOf(holder: BlobHolder, hex: string): Descriptor {
  const size = holder.find(hex)?.size ?? 0;
  return { mediaType: OCI_MANIFEST, digest: `sha256:${hex}`, size };
}

/** Writes the folder anew, whole; blobs are linked from the store, so that it takes no room. */
export function placeWholeLayout(project: Project, spec: FunctionSpec, images: readonly OneImage[]): void {
  const store = blobStore(project);
  const shown = wholeLayoutPath(spec);
  const path = join(project.root, shown);
  const temporary = temporaryBeside(path);
  try {
    const { descriptor, bytes } = indexOver(store, images, spec.name);
    for (const hex of blobsOf(store, images)) store.place(hex, join(temporary, BLOBS_FOLDER, hex));
    writeWhole(join(temporary, BLOBS_FOLDER, hexOf(descriptor.digest)), bytes, shown);
    writeWhole(join(temporary, LAYOUT_FILE), LAYOUT_BYTES, shown);
    const top = { ...descriptor, annotations: { [ANNOTATION.refName]: spec.name } };
    writeWhole(
      join(temporary, INDEX_FILE),
      writeIndex({ mediaType: OCI_INDEX, manifests: [top], annotations: {} }),
      shown,
    );
    guarded(shown, () => {
      mkdirSync(dirname(path), { recursive: true });
      rmSync(path, { recursive: true, force: true });
      renameSync(temporary, path);
    });
  } catch (error) {
    rmSync(temporary, { recursive: true, force: true });
    throw error;
  }
}

function blobsOf(store: BlobStore, images: readonly OneImage[]): Set<string> {
  const all = new Set<string>();
  for (const { sha256 } of images) {
    const own = manifestOf(store, sha256);
    const { config, layers } = readManifest(readBlob(store, own, MAX_MANIFEST_BYTES), own.digest);
    for (const { digest } of [own, config, ...layers]) all.add(hexOf(digest));
    for (const one of [config, ...layers]) findBlob(store, one);
  }
  return all;
}
