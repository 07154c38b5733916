/** What a check is told of what others published: packages, their licences, and known faults. */
import { present } from '../../base/present';
import type { FunctionFacts } from '../../findings/rule';
import { readLock } from '../../project/lock/lockfile';
import type { Project, Target } from '../../project/targets';
import type { Waybill } from '../../waybill';
import { advisoriesOf } from './advisories';
import { packageFacts } from './facts';

export type ThirdPartyFacts = Pick<FunctionFacts, 'packages' | 'advisories' | 'licences'>;

/** @param waybill that of the artifact @throws EmballageError ADVISORIES_INVALID */
export async function thirdPartyFacts(
  project: Project,
  { spec, arch }: Target,
  waybill: Waybill,
): Promise<ThirdPartyFacts> {
  const { sheet, root, state } = project;
  const lock = await readLock(project, true);
  const locked = lock.functions[spec.name]?.targets[arch] ?? [];
  const packages = await packageFacts({ waybill, language: spec.runtime.language, locked, state });
  const { advisories: at, licences } = sheet;
  const advisories =
    at === undefined || packages === undefined ? undefined : await advisoriesOf({ root, at, state }, packages);
  return present({ packages, advisories, licences });
}
