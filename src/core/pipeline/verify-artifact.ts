/** Artifacts and their waybills: whether what lies there is what was built. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { EmballageError, systemCode } from '../base/errors';
import { fileDigest } from '../disk/digest';
import { openLayout } from '../disk/layout-files';
import { hexOf } from '../formats/oci';
import type { Form } from '../sheet';
import { readWaybill, type Waybill } from '../waybill';
import { artifactPath, waybillPath, type Project, type Target } from './targets';

/** What an artifact is known by: the digest of its file; that of its manifest for an image. */
async function artifactDigest(path: string, shown: string, form: Form): Promise<string> {
  if (form !== 'image') return fileDigest(path);
  const layout = await openLayout(path, shown);
  return hexOf(layout.index.manifests[0]?.digest ?? 'sha256:');
}

/**
 * The waybill of a target, whose artifact is there and is the one that it describes.
 * @throws EmballageError ARTIFACT_MISSING or ARTIFACT_MIXED
 */
export async function verifyAgainstWaybill(project: Project, target: Target): Promise<Waybill> {
  const shown = artifactPath(target);
  const doing = 'looking for the artifact';
  const mend = `run \`emballage build ${target.spec.name}\``;
  let text: string;
  let digest: string;
  try {
    digest = await artifactDigest(join(project.root, shown), shown, target.spec.form);
    text = readFileSync(join(project.root, waybillPath(target)), 'utf8');
  } catch (error) {
    if (systemCode(error) !== 'ENOENT') throw error;
    throw new EmballageError(
      'ARTIFACT_MISSING',
      { doing, where: shown, expected: 'an artifact with its waybill', found: 'nothing, or only one of the two', mend },
      error,
    );
  }
  const waybill = await readWaybill(text, waybillPath(target));
  if (waybill.artifact.sha256 === digest) return waybill;
  throw new EmballageError('ARTIFACT_MIXED', {
    doing,
    where: shown,
    expected: `the artifact of its waybill, SHA-256 ${waybill.artifact.sha256}`,
    found: `another, SHA-256 ${digest}`,
    mend,
  });
}
