/** Settles the third-party files of functions into the lock: for every target, the same on every machine. */
import { present } from '../../base/present';
import { goingOn } from '../../findings/failure';
import { workOf, type Work } from '../../languages';
import { exclusively } from '../../project/state/exclusive';
import {
  readLock,
  writeLock,
  type Lock,
  type LockedBase,
  type LockedFunction,
  type LockedPackage,
} from '../../project/lock/lockfile';
import { packageStore } from '../../project/user-packages';
import type { Project } from '../../project/targets';
import type { FunctionSpec } from '../../sheet';
import { BaseLocker } from './lock-base';
import type { LockedChange, LockOutcome, LockRequest } from './model';

/** Settles what is not settled yet and writes the lock, whole; what cannot be settled stays as it was. */
export async function lockFunctions(request: LockRequest): Promise<LockOutcome[]> {
  const before = await readLock(request.project, true);
  const outcomes: LockOutcome[] = [];
  const settled = new Map<string, LockedFunction | undefined>();
  const bases = new BaseLocker(request, before.bases ?? {});
  for (const spec of request.functions) {
    const outcome = await goingOn(spec.name, request.onFailure, async () =>
      bases.add(spec, await lockNeeds(request, spec, before, settled)),
    );
    if (outcome !== undefined) outcomes.push(outcome);
  }
  const fresh = { functions: settled, bases: bases.settled };
  // Where nothing is to be written nobody has to be waited for.
  if (isDifferent(withSettled(request.project, before, fresh), before))
    await exclusively({ state: request.project.state, what: 'lock' }, () => keep(request.project, fresh));
  return outcomes;
}

interface Settled {
  readonly functions: ReadonlyMap<string, LockedFunction | undefined>;
  readonly bases: ReadonlyMap<string, LockedBase | undefined>;
}

/** Writes what was settled into the lock as it is now: another run may have settled other functions meanwhile. */
async function keep(project: Project, fresh: Settled): Promise<void> {
  const now = await readLock(project, true);
  const lock = withSettled(project, now, fresh);
  if (isDifferent(lock, now)) writeLock(project, lock);
}

function isDifferent(a: Lock, b: Lock): boolean {
  return JSON.stringify(a) !== JSON.stringify(b);
}

/** A lock with what was settled, of the functions that the sheet has. */
function withSettled(project: Project, old: Lock, fresh: Settled): Lock {
  const inSheet = new Set(project.sheet.functions.map(({ name }) => name));
  const kept = <T extends { readonly inputs: string }>(
    before: Readonly<Record<string, T>>,
    after: ReadonlyMap<string, T | undefined>,
  ): Record<string, T> =>
    Object.fromEntries(
      [...new Map<string, T | undefined>([...Object.entries(before), ...after])].flatMap(([name, one]) =>
        // What an earlier format says is no more than which versions to stay with.
        one === undefined || one.inputs === '' || !inSheet.has(name) ? [] : [[name, one] as const],
      ),
    );
  const bases = kept(old.bases ?? {}, fresh.bases);
  return {
    lock: old.lock,
    functions: kept(old.functions, fresh.functions),
    ...(Object.keys(bases).length > 0 && { bases }),
  };
}

const UNASKED = { sources: [], notes: [] } as const;

/** Settles what one function needs from others. */
async function lockNeeds(
  request: LockRequest,
  spec: FunctionSpec,
  before: Lock,
  settled: Map<string, LockedFunction | undefined>,
): Promise<LockOutcome> {
  const { project, http, machine, upgrade, onSettling } = request;
  const work = await workOf(spec);
  const needs = work.needs(project, spec);
  const known = before.functions[spec.name];
  if (needs === undefined) {
    settled.set(spec.name, undefined);
    return { ...UNASKED, name: spec.name, status: 'no-needs', targets: {}, changes: changesBetween(known, undefined) };
  }
  if (known?.inputs === needs.inputs && upgrade.length === 0 && hasFiles(project, work, known))
    return {
      name: spec.name,
      status: 'unchanged',
      targets: known.targets,
      sources: known.sources ?? [],
      notes: [],
      changes: [],
    };
  const notes = new Set<string>();
  const onNote = (text: string): void => void notes.add(text);
  const found = await work.settle({ project, spec, known, upgrade, http, machine, onSettling, onNote });
  settled.set(spec.name, found);
  return {
    name: spec.name,
    status: 'settled',
    targets: found.targets,
    sources: found.sources ?? [],
    notes: [...notes],
    changes: changesBetween(known, found),
  };
}

/** What is fetched when it is locked has to be here, since building fetches nothing of it. */
function hasFiles(project: Project, { fetchesWhenLocked }: Work, known: LockedFunction): boolean {
  if (!fetchesWhenLocked) return true;
  const store = packageStore(project);
  return Object.values(known.targets).every((packages) =>
    packages.every(({ sha256 }) => store.find(sha256) !== undefined),
  );
}

function changesBetween(before: LockedFunction | undefined, after: LockedFunction | undefined): LockedChange[] {
  const archs = new Set([...Object.keys(before?.targets ?? {}), ...Object.keys(after?.targets ?? {})]);
  return [...archs].flatMap((arch) => changesOf(arch, before?.targets[arch] ?? [], after?.targets[arch] ?? []));
}

function changesOf(arch: string, before: readonly LockedPackage[], after: readonly LockedPackage[]): LockedChange[] {
  const key = ({ name, apart }: LockedPackage): string => (apart === undefined ? name : `${name} ${apart}`);
  const old = new Map(before.map((one) => [key(one), one]));
  const now = new Map(after.map((one) => [key(one), one]));
  const names = [...new Set([...old.keys(), ...now.keys()])].sort();
  return names
    .filter((name) => old.get(name)?.sha256 !== now.get(name)?.sha256)
    .map((name) => present({ name, arch, before: old.get(name)?.version, after: now.get(name)?.version }));
}
