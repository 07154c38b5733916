/** What the lock says of a function. The code of a language is loaded only for its functions. */
import { EmballageError } from '../../base/errors';
import { workOf, type StatedNeeds } from '../../languages';
import { lockNameOf, readLock, type Lock, type LockedFunction } from '../../project/lock/lockfile';
import type { Project } from '../../project/targets';
import type { FunctionSpec } from '../../sheet';

/** The needs of a function; undefined where it has none. */
export async function statedNeeds(project: Project, spec: FunctionSpec): Promise<StatedNeeds | undefined> {
  return (await workOf(spec)).needs(project, spec);
}

/**
 * What the lock says of a function; undefined where it needs nothing.
 * @throws EmballageError LOCK_OUTDATED when the requirements are not those that were settled
 */
export async function lockedFunction(
  project: Project,
  spec: FunctionSpec,
  lock?: Lock,
): Promise<LockedFunction | undefined> {
  const needs = await statedNeeds(project, spec);
  if (needs === undefined) return undefined;
  const locked = (lock ?? (await readLock(project))).functions[spec.name];
  if (locked?.inputs === needs.inputs && spec.archs.every((arch) => arch in locked.targets)) return locked;
  throw new EmballageError('LOCK_OUTDATED', {
    doing: `looking up what ${spec.name} needs`,
    where: lockNameOf(project),
    expected: 'what the requirements ask for (deps/unlocked)',
    found: locked === undefined ? 'nothing about this function' : 'what other requirements, sources or targets gave',
    mend: `run \`emballage lock ${spec.name}\``,
  });
}
