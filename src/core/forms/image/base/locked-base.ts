/** What the lock says of the base of an image. */
import { EmballageError } from '../../../base/errors';
import type { FunctionSpec } from '../../../sheet';
import { lockNameOf, readLock, type Lock, type LockedBase } from '../../../project/lock/lockfile';
import type { Project } from '../../../project/targets';
import { baseInputs } from './base';

/**
 * The base of a function as it was settled; undefined for one that stands on nothing.
 * @throws EmballageError LOCK_OUTDATED when the sheet asks for another
 */
export async function lockedBase(project: Project, spec: FunctionSpec, lock?: Lock): Promise<LockedBase | undefined> {
  const inputs = baseInputs(spec);
  if (inputs === undefined) return undefined;
  const locked = (lock ?? (await readLock(project))).bases?.[spec.name];
  if (locked?.inputs === inputs) return locked;
  throw new EmballageError('LOCK_OUTDATED', {
    doing: `looking up what ${spec.name} stands on`,
    where: lockNameOf(project),
    expected: 'the base that the sheet names, settled to digests',
    found: locked === undefined ? 'nothing about it' : 'another',
    mend: `run \`emballage lock ${spec.name}\``,
  });
}
