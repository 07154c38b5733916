/** What the lock says of a function. The code of a language is loaded only for functions that may have needs. */
import { EmballageError } from '../../base/errors';
import { isNative, type FunctionSpec } from '../../sheet';
import { lockNameOf, readLock, type Lock, type LockedFunction } from '../../project/lockfile';
import type { Project } from '../../project/targets';

/** What all languages say of needs: the files that state them, and a digest of all that settling them depends on. */
export interface StatedNeeds {
  readonly files: readonly string[];
  readonly inputs: string;
}

/** The needs of a function; undefined where it has none. */
export async function statedNeeds(project: Project, spec: FunctionSpec): Promise<StatedNeeds | undefined> {
  if (spec.runtime.language === 'java') return (await import('../../languages/jvm/needs')).readJvmNeeds(project, spec);
  if (spec.runtime.language === 'node') return (await import('../../languages/node/needs')).readNodeNeeds(project, spec);
  if (isNative(spec.runtime.language)) return (await import('../../languages/compiled/needs')).readNativeNeeds(project, spec);
  return spec.runtime.language === 'python' ? (await import('../../languages/python/needs')).readNeeds(project, spec) : undefined;
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
  const locked = (lock ?? readLock(project.root, lockNameOf(project))).functions[spec.name];
  if (locked?.inputs === needs.inputs && spec.archs.every((arch) => arch in locked.targets)) return locked;
  throw new EmballageError('LOCK_OUTDATED', {
    doing: `looking up what ${spec.name} needs`,
    where: lockNameOf(project),
    expected: 'what the requirements ask for (deps/unlocked)',
    found: locked === undefined ? 'nothing about this function' : 'what other requirements, sources or targets gave',
    mend: `run \`emballage lock ${spec.name}\``,
  });
}
