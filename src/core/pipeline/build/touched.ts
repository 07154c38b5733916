/** Tells a function that changed from one that was only touched: copied, checked out, saved as it was. */
import { join } from 'node:path';
import { fileDigest } from '../../disk/digest';
import { artifactPath } from '../../project/targets';
import type { ChangedLook, LookRequest } from './model';

/** Whether source and artifacts hold what they held when it was built, whatever their times. */
export function isOnlyTouched({ project }: LookRequest, { spec, index, common, config, survey }: ChangedLook): boolean {
  if (index?.common !== common || index.config !== config || survey.refused.length > 0) return false;
  const isAsMade = spec.archs.every((arch) => {
    const sha256 = index.targets[arch]?.sha256;
    return sha256 !== undefined && sha256 === digestIn(join(project.root, artifactPath({ spec, arch })));
  });
  return isAsMade && index.hasContent(survey.items, ({ source }) => digestIn(source) ?? '');
}

function digestIn(path: string): string | undefined {
  try {
    return fileDigest(path);
  } catch {
    // Gone, or not to be read: then it is not what it was.
    return undefined;
  }
}
