/** Settles what images stand on, beside what functions need. */
import { openForm } from '../../forms';
import type { FunctionSpec } from '../../sheet';
import type { LockedChange, LockOutcome, LockRequest } from './model';
import type { LockedBase } from '../../project/lock/lockfile';

/** The name under which changes of a base are told. */
const BASE = 'base';

export class BaseLocker {
  readonly #request: LockRequest;
  readonly #before: Readonly<Record<string, LockedBase>>;
  /** What was settled in this run; undefined for a function that stands on nothing. */
  readonly settled = new Map<string, LockedBase | undefined>();

  /** @param before what was settled before, by function */
  constructor(request: LockRequest, before: Readonly<Record<string, LockedBase>>) {
    this.#request = request;
    this.#before = before;
  }

  /** Settles the base of a function that has one, and says so together with its needs. */
  async add(spec: FunctionSpec, outcome: LockOutcome): Promise<LockOutcome> {
    const known = this.#before[spec.name];
    const settled = await this.#settle(spec, known);
    this.settled.set(spec.name, settled);
    if (settled === undefined) return outcome;
    if (settled === known)
      return outcome.status === 'no-needs'
        ? { ...outcome, status: 'unchanged', base: settled }
        : { ...outcome, base: settled };
    return {
      ...outcome,
      status: 'settled',
      base: settled,
      changes: [...changesOf(known, settled), ...outcome.changes],
    };
  }

  async #settle(spec: FunctionSpec, known: LockedBase | undefined): Promise<LockedBase | undefined> {
    const { project, machine, registry, upgrade, jobs, onBase: onProgress, onSettling } = this.#request;
    const { base } = await openForm(spec.form);
    return base?.settle(
      {
        project,
        spec,
        machine,
        registry,
        jobs,
        onProgress,
        isUpgraded: upgrade === 'all' || upgrade.includes(BASE),
        onSettling: (arch) => onSettling(spec.name, arch),
      },
      known,
    );
  }
}

function changesOf(before: LockedBase | undefined, after: LockedBase): LockedChange[] {
  return Object.entries(after.targets).flatMap(([arch, target]) => {
    const old = before?.targets[arch];
    const shown = (one: typeof target): string =>
      `${one.from} ${(one.digest ?? one.layers[0]?.digest ?? '').slice(7, 19)}`;
    if (old !== undefined && shown(old) === shown(target)) return [];
    return [{ name: BASE, arch, after: shown(target), ...(old !== undefined && { before: shown(old) }) }];
  });
}
