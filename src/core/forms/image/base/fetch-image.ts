/** Fetches an image from a registry by its digest, into a layout folder; every blob is verified before it counts. */
import { renameSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { severalAtOnce, summed } from '../../../base/several';
import { guarded, writeWhole } from '../../../disk/write';
import {
  badImage,
  BLOBS_FOLDER,
  hexOf,
  INDEX_FILE,
  isManifestType,
  LAYOUT_BYTES,
  LAYOUT_FILE,
  OCI_INDEX,
  readManifest,
  writeIndex,
} from '../../../formats/oci';
import { platformOf } from '../documents';
import type { FetchPartsRequest } from '../../form';
import { pullBlob, pullManifest } from '../../../sources/registry';

const AT_ONCE = 4;

/** The index is written last, so that a folder that was not filled is no layout. */
export async function fetchImage({
  registry,
  name,
  digest,
  arch,
  folder,
  onProgress,
}: FetchPartsRequest): Promise<void> {
  const pulled = await pullManifest(registry, name, digest);
  const shown = `${registry.host}/${name}@${digest}`;
  if (pulled === undefined || !isManifestType(pulled.descriptor.mediaType))
    throw badImage(shown, 'the manifest of an image', pulled === undefined ? 'nothing of that digest' : 'an index');
  const { config, layers } = readManifest(pulled.bytes, shown);
  const open = [...new Map([config, ...layers].map((one) => [one.digest, one])).values()];
  const total = open.reduce((sum, { size }) => sum + size, 0);
  const progress = summed((done) => onProgress(done, total));
  const blobs = join(folder, BLOBS_FOLDER);
  await severalAtOnce(open, AT_ONCE, async (one) => {
    const hex = hexOf(one.digest);
    const path = join(blobs, `${hex}.partial`);
    try {
      await pullBlob(registry, name, one, { path, onProgress: (bytes) => progress(hex, bytes) });
    } catch (error) {
      rmSync(path, { force: true });
      throw error;
    }
    guarded(blobs, () => renameSync(path, join(blobs, hex)));
  });
  writeWhole(join(blobs, hexOf(digest)), pulled.bytes, shown);
  writeWhole(join(folder, LAYOUT_FILE), LAYOUT_BYTES, shown);
  const manifests = [{ ...pulled.descriptor, platform: platformOf(arch) }];
  writeWhole(join(folder, INDEX_FILE), writeIndex({ mediaType: OCI_INDEX, manifests, annotations: {} }), shown);
}
