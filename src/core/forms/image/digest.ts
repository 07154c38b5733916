/** What an image is known by. */
import { openLayout } from '../../disk/unpack/layout-files';
import { hexOf } from '../../formats/oci';

/**
 * Digest of the manifest of a layout, in hexadecimal; '' for a layout without an image.
 * @param path absolute
 * @throws EmballageError IMAGE_INVALID
 */
export async function imageDigest(path: string, shown: string): Promise<string> {
  const { index } = await openLayout(path, shown);
  return hexOf(index.manifests[0]?.digest ?? 'sha256:');
}
