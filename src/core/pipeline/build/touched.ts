/** Tells a function that changed from one that was only touched: copied, checked out, saved as it was. */
import { join } from 'node:path';
import { systemCode } from '../../base/errors';
import { fileDigest } from '../../disk/digest';
import { artifactPath } from '../../project/targets';
import { artifactDigest } from '../../project/verify-artifact';
import type { ChangedStatus, StatusRequest } from './model';

/** Whether source and artifacts hold what they held when it was built, whatever their times. */
export async function isOnlyTouched(
  { project }: StatusRequest,
  { spec, index, common, config, survey }: ChangedStatus,
): Promise<boolean> {
  if (index?.common !== common || index.config !== config || survey.refused.length > 0) return false;
  for (const arch of spec.archs) {
    const sha256 = index.targets[arch]?.sha256;
    const path = artifactPath({ spec, arch });
    const digest = orGone(() => artifactDigest(join(project.root, path), path, spec.form));
    if (sha256 === undefined || sha256 !== (await digest)) return false;
  }
  return index.hasContent(survey.items, ({ source }) => digestIn(source) ?? '');
}

async function orGone(read: () => Promise<string>): Promise<string | undefined> {
  try {
    return await read();
  } catch (error) {
    // Gone, or not to be read: then it is not what it was.
    if (systemCode(error) === undefined) throw error;
    return undefined;
  }
}

function digestIn(path: string): string | undefined {
  try {
    return fileDigest(path);
  } catch {
    // Gone, or not to be read: then it is not what it was.
    return undefined;
  }
}
