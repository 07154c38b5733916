/** How an artifact stands to the weights that were recorded for it. */
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import type { GrowthFact } from '../../findings/rule';
import { weightsNameOf, type Project, type Target } from '../../project/targets';

/** Undefined where nothing is recorded. Weighing is loaded only where something is. */
export async function growthOf(project: Project, target: Target, scratch: string): Promise<GrowthFact | undefined> {
  if (!existsSync(join(project.root, weightsNameOf(project)))) return undefined;
  const { allowed, growth, readRecords, recordFrom, recordOf, weighTarget } = await import('../weigh');
  const recorded = recordOf(await readRecords(project), target.spec.name, target.arch);
  if (recorded === undefined) return undefined;
  const { allow, record: before } = recorded;
  const now = recordFrom(await weighTarget(project, target, scratch));
  const held = (key: 'packed' | 'unpacked'): GrowthFact['packed'] => {
    return { before: before[key], now: now[key], allowed: allowed(before[key], allow) };
  };
  return { allow, packed: held('packed'), unpacked: held('unpacked'), causes: growth(before, now).changes };
}
