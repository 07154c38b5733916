/** Which packages of a lock a function needs on one target: what is reached from it by dependencies that are not for development. */
import satisfies from 'semver/functions/satisfies';
import validRange from 'semver/ranges/valid';
import { EmballageError, type Problem } from '../../../base/errors';
import { settlePath } from '../../../base/paths';
import { count, printable } from '../../../base/text';
import { nearestInstalled } from '../view/owner';
import { invalid, writtenAnew, type LockEntry, type Manifest, type PackageLock } from './package-lock';

/** A target in the words of `os`, `cpu` and `libc`. */
export interface NodeTarget {
  readonly os: 'linux';
  readonly cpu: 'x64' | 'arm64';
  readonly libc: 'glibc' | 'musl';
}

/** A package that is needed, with the keys of those that it finds under each name. */
export interface SelectedPackage {
  readonly entry: LockEntry;
  /** By name: the key of what is found there, a link's key, not that of its folder; and the versions that are asked for. */
  readonly finds: ReadonlyMap<string, { readonly key: string; readonly range: string }>;
}

/**
 * @param from the function's folder, relative to the lock
 * @returns by key; the function itself under its own
 */
export function selectPackages(
  lock: PackageLock,
  from: string,
  target: NodeTarget,
  shown: string,
): Map<string, SelectedPackage> {
  const selected = new Map<string, SelectedPackage>();
  const root = lock.get(from);
  if (root === undefined)
    throw invalid(
      shown,
      `the folder \`${from}\` among its workspaces`,
      'none of that name',
      `run ${writtenAnew(shown)}`,
    );
  const open = [root];
  for (let entry = open.pop(); entry !== undefined; entry = open.pop()) {
    if (selected.has(entry.key)) continue;
    const finds = new Map<string, { readonly key: string; readonly range: string }>();
    selected.set(entry.key, { entry, finds });
    for (const edge of edgesOf(entry)) {
      const found = follow(lock, entry, edge, { target, shown });
      if (found === undefined) continue;
      finds.set(edge.name, { key: found.key, range: edge.range });
      open.push(found);
      if (found.isLink) open.push(linkTarget(lock, found, shown));
    }
  }
  return selected;
}

interface Edge {
  readonly name: string;
  readonly range: string;
  readonly isOptional: boolean;
}

/** What is found under a name; undefined for what may be missing, and for what is for other platforms. */
function follow(
  lock: PackageLock,
  entry: LockEntry,
  edge: Edge,
  { target, shown }: { readonly target: NodeTarget; readonly shown: string },
): LockEntry | undefined {
  const found = findFrom(lock, entry.key, edge.name);
  if (found === undefined) {
    if (!edge.isOptional) throw missing(entry, edge, shown);
    refuseForgotten(entry, edge.name, target, shown);
    return undefined;
  }
  if (fits(found, target)) return found;
  if (edge.isOptional) return undefined;
  throw wrongPlatform(found, target, shown);
}

/** Peers are installed by those who ask for the package; one that is not there is missed only when it is imported. */
function edgesOf(entry: LockEntry): Edge[] {
  const edges = new Map<string, Edge>();
  const add = (from: Readonly<Record<string, string>>, isOptional: boolean): void => {
    for (const [name, range] of Object.entries(from)) edges.set(name, { name, range, isOptional });
  };
  add(entry.peerDependencies, true);
  add(entry.dependencies, false);
  add(entry.optionalDependencies, true);
  return [...edges.values()];
}

/** As Node.js looks for it: in the folder's own `node_modules`, then in that of each folder above. */
export function findFrom(lock: PackageLock, key: string, name: string): LockEntry | undefined {
  return nearestInstalled(name, key, (path) => lock.get(path));
}

/** The package of the workspace that a link of the lock file leads to. @throws EmballageError where it leads nowhere */
export function linkTarget(lock: PackageLock, link: LockEntry, shown: string): LockEntry {
  const found = lock.get(settlePath(link.resolved ?? '') ?? '..');
  if (found !== undefined && !found.isLink) return found;
  throw invalid(shown, `the folder of \`${printable(link.key)}\``, 'none of that name', `run ${writtenAnew(shown)}`);
}

function fits({ os, cpu, libc }: LockEntry, target: NodeTarget): boolean {
  return allows(os, target.os) && allows(cpu, target.cpu) && allows(libc, target.libc);
}

/** A list of names, or of names with `!` before them that must not be. */
function allows(list: readonly string[] | undefined, value: string): boolean {
  if (list === undefined || list.includes('any')) return true;
  if (list.includes(`!${value}`)) return false;
  const wanted = list.filter((one) => !one.startsWith('!'));
  return wanted.length === 0 || wanted.includes(value);
}

/** A lock that was written on another machine may lack the files for this one; then the function would fail there. */
function refuseForgotten(entry: LockEntry, name: string, target: NodeTarget, shown: string): void {
  const words = name.split(/[^a-z0-9]+/i);
  const isForTarget =
    words.includes(target.os) &&
    words.includes(target.cpu) &&
    (words.includes('musl') || words.includes('musleabihf')) === (target.libc === 'musl');
  if (!isForTarget || !(name in entry.optionalDependencies)) return;
  throw new EmballageError('REQUIREMENTS_IMPOSSIBLE', {
    doing: 'choosing packages for the target',
    where: shown,
    expected: `\`${printable(name)}\`, which \`${printable(entry.name)}\` needs on ${target.os} ${target.cpu}`,
    found: 'none: it was left out when the lock was written on another machine',
    mend: `remove node_modules and the lock, and run ${writtenAnew(shown)} again`,
  });
}

function missing(entry: LockEntry, { name, range }: Edge, shown: string): EmballageError {
  const who = entry.key === '' ? 'the function' : `${entry.name} ${entry.version}`;
  return invalid(
    shown,
    `\`${printable(name)}\` ${printable(range)}, which ${who} asks for`,
    'none',
    `run ${writtenAnew(shown)}`,
  );
}

function wrongPlatform(entry: LockEntry, target: NodeTarget, shown: string): EmballageError {
  const only = [entry.os, entry.cpu, entry.libc].flatMap((list) => list ?? []).join(', ');
  return new EmballageError('REQUIREMENTS_IMPOSSIBLE', {
    doing: 'choosing packages for the target',
    where: shown,
    expected: `packages for ${target.os} ${target.cpu} ${target.libc}`,
    found: `\`${printable(entry.name)}\` ${entry.version}, which is only for ${printable(only)}`,
    mend: 'ask for it under `optionalDependencies`, or do without it',
  });
}

/**
 * Holds what a package.json asks for today against what the lock was written for.
 * @param placeOf where a name stands in the package.json
 * @throws EmballageError REQUIREMENTS_INVALID with everything that differs
 */
export function compareWithManifest(
  lock: PackageLock,
  from: string,
  manifest: Manifest,
  { shown, shownLock, placeOf }: { shown: string; shownLock: string; placeOf: (name: string) => Problem['place'] },
): void {
  const locked = lock.get(from);
  const problems: Problem[] = [];
  for (const kind of ['dependencies', 'optionalDependencies', 'peerDependencies'] as const)
    for (const [name, range] of Object.entries(manifest[kind])) {
      const found = findFrom(lock, from, name);
      if (locked?.[kind][name] === range && (found !== undefined || kind !== 'dependencies')) continue;
      if (found === undefined && kind === 'peerDependencies') continue;
      if (found !== undefined && accepts(range, found)) continue;
      problems.push({
        place: placeOf(name),
        expected: `\`${printable(name)}\` ${printable(range)} in ${shownLock}`,
        found: found === undefined ? 'nothing of that name' : `version ${printable(found.version)}`,
        mend: `run ${writtenAnew(shownLock)}, which writes the lock anew`,
      });
    }
  if (problems.length === 0) return;
  throw new EmballageError('REQUIREMENTS_INVALID', {
    doing: `holding ${shown} against ${shownLock}`,
    found: count(problems.length, 'difference'),
    mend: `run ${writtenAnew(shownLock)}`,
    problems,
  });
}

/** Ranges that are no versions (tags, addresses, folders) are taken on trust: the lock says what they gave. */
function accepts(range: string, entry: LockEntry): boolean {
  const plain = /^npm:(?:@[^/]+\/)?[^@]+@(.+)$/.exec(range)?.[1] ?? range.replace(/^workspace:/, '');
  if (validRange(plain) === null || entry.isLink) return true;
  return satisfies(entry.version, plain, { includePrerelease: false, loose: true });
}
