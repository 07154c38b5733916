/** Two locks held against each other, function by function: what came, went, and changed its version. */
import { comparePaths } from '../../base/paths';
import type { Lock, LockedPackage } from '../../project/lock/lockfile';
import type { Comparison, Detail, Difference, SideFacts } from '../../forms/comparing';

export interface LockSide {
  readonly shown: string;
  readonly lock: Lock;
  /** Bytes of the file. */
  readonly size: number;
  /** Its text, to see whether it is the same to the byte. */
  readonly text: string;
}

/** What differs between two locks: packages of each function, by version. */
export function compareLocks(a: LockSide, b: LockSide): Comparison {
  const names = [...new Set([...Object.keys(a.lock.functions), ...Object.keys(b.lock.functions)])].sort(comparePaths);
  const differences = names.flatMap((name) => functionDifferences(name, a.lock, b.lock));
  const facts = ({ shown, size }: LockSide): SideFacts => ({ shown, size, as: 'lock' });
  const verdict = a.text === b.text ? 'same-bytes' : differences.length === 0 ? 'same-content' : 'differs';
  return { verdict, a: facts(a), b: facts(b), differences, unlisted: 0, causes: [] };
}

function functionDifferences(path: string, a: Lock, b: Lock): Difference[] {
  const [x, y] = [a.functions[path], b.functions[path]];
  if (x === undefined || y === undefined)
    return [{ change: x === undefined ? 'added' : 'removed', path, by: 0, as: 'function', details: [] }];
  const archs = [...new Set([...Object.keys(x.targets), ...Object.keys(y.targets)])].sort();
  const inside = new Map<string, Difference>();
  for (const arch of archs)
    for (const one of packageDifferences(x.targets[arch] ?? [], y.targets[arch] ?? [])) {
      const key = JSON.stringify([one.change, one.path, one.details.filter(({ what }) => what === 'version')]);
      // What is alike on all architectures is told once.
      if (!inside.has(key)) inside.set(key, one);
    }
  const requirements = x.inputs === y.inputs ? [] : [{ what: 'requirements', a: 'as they were', b: 'changed' }];
  if (inside.size === 0 && requirements.length === 0) return [];
  const all = [...inside.values()];
  const by = all.reduce((sum, one) => sum + one.by, 0);
  return [{ change: 'changed', path, by, as: 'function', details: requirements, inside: all }];
}

function packageDifferences(a: readonly LockedPackage[], b: readonly LockedPackage[]): Difference[] {
  const [x, y] = [byName(a), byName(b)];
  return [...new Set([...x.keys(), ...y.keys()])].sort(comparePaths).flatMap((path): Difference[] => {
    const [from, to] = [x.get(path), y.get(path)];
    const by = sizeOf(to) - sizeOf(from);
    if (from === undefined || to === undefined) {
      const versions = (from ?? to ?? []).map(({ version }) => version).join(', ');
      const details = [
        from === undefined ? { what: 'version', a: '', b: versions } : { what: 'version', a: versions, b: '' },
      ];
      return [{ change: from === undefined ? 'added' : 'removed', path, by, as: 'package', details }];
    }
    const details = packageDetails(from, to);
    return details.length === 0 ? [] : [{ change: 'changed', path, by, as: 'package', details }];
  });
}

function byName(all: readonly LockedPackage[]): Map<string, LockedPackage[]> {
  const found = new Map<string, LockedPackage[]>();
  for (const one of all) found.set(one.name, [...(found.get(one.name) ?? []), one]);
  return found;
}

function sizeOf(all: readonly LockedPackage[] | undefined): number {
  return (all ?? []).reduce((sum, { size }) => sum + size, 0);
}

function packageDetails(a: readonly LockedPackage[], b: readonly LockedPackage[]): Detail[] {
  const of = (all: readonly LockedPackage[], key: (one: LockedPackage) => string): string =>
    [...new Set(all.map(key))].sort().join(', ');
  const rows = [
    { what: 'version', a: of(a, ({ version }) => version), b: of(b, ({ version }) => version) },
    { what: 'file', a: of(a, ({ file }) => file), b: of(b, ({ file }) => file) },
    { what: 'SHA-256', a: of(a, ({ sha256 }) => sha256.slice(0, 12)), b: of(b, ({ sha256 }) => sha256.slice(0, 12)) },
    { what: 'comes from', a: of(a, ({ index }) => index), b: of(b, ({ index }) => index) },
    { what: 'asked for by', a: of(a, asked), b: of(b, asked) },
  ];
  return rows.filter((row) => row.a !== row.b);
}

function asked({ by, asked: all }: LockedPackage): string {
  return all === undefined ? by.join(', ') : all.map((one) => `${one.by} as ${one.as}`).join(', ');
}
