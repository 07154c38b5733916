/** Image layouts as folders: their blobs are other names of those in the store, so that they take no room and no time. */
import { mkdirSync, renameSync, rmSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { guarded, temporaryBeside, writeWhole } from '../../disk/write';
import {
  BLOBS_FOLDER,
  findBlob,
  hexOf,
  INDEX_FILE,
  LAYOUT_BYTES,
  LAYOUT_FILE,
  MAX_MANIFEST_BYTES,
  readBlob,
  readManifest,
  type BlobHolder,
  type Descriptor,
} from '../../formats/oci';
import type { BlobStore } from './blob-store';

export interface LayoutToPlace {
  /** Absolute path of the folder, and its name for messages. */
  readonly path: string;
  readonly shown: string;
  /** Content of its `index.json`. */
  readonly index: Uint8Array;
  /** All that the index leads to. */
  readonly blobs: readonly Descriptor[];
  readonly store: BlobStore;
}

/** Writes a layout anew, whole or not at all. @throws EmballageError IMAGE_INVALID where a blob is not in the store */
export function placeLayout({ path, shown, index, blobs, store }: LayoutToPlace): void {
  const temporary = temporaryBeside(path);
  try {
    for (const blob of blobs) {
      findBlob(store, blob);
      const hex = hexOf(blob.digest);
      store.place(hex, join(temporary, BLOBS_FOLDER, hex));
    }
    writeWhole(join(temporary, LAYOUT_FILE), LAYOUT_BYTES, shown);
    writeWhole(join(temporary, INDEX_FILE), index, shown);
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

/** The manifest of an image and all that it names, in the order of layouts. @throws EmballageError IMAGE_INVALID */
export function blobsOf(holder: BlobHolder, manifest: Descriptor): readonly Descriptor[] {
  const { config, layers } = readManifest(readBlob(holder, manifest, MAX_MANIFEST_BYTES), manifest.digest);
  return [manifest, config, ...layers];
}
