/** The locked packages of a target, fetched by their digests and unpacked. Nothing is resolved here. */
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { EmballageError } from '../base/errors';
import { unpackWheel, type UnpackedWheel } from '../languages/python';
import { PackageStore, type HttpClient } from '../sources';
import type { FunctionSpec } from '../sheet';
import { readLock, type Lock, type LockedFunction, type LockedPackage } from './lockfile';
import { readNeeds } from './needs';
import { stateFolder, type Project } from './targets';

export interface ReadyPackage {
  readonly locked: LockedPackage;
  readonly wheel: UnpackedWheel;
}

const AT_ONCE = 8;

/**
 * What the lock says of a function; undefined where it needs nothing.
 * @throws EmballageError LOCK_OUTDATED when the requirements are not those that were settled
 */
export function lockedFunction(project: Project, spec: FunctionSpec, lock?: Lock): LockedFunction | undefined {
  const needs = readNeeds(project, spec);
  if (needs === undefined) return undefined;
  const locked = (lock ?? readLock(project.root)).functions[spec.name];
  if (locked?.inputs === needs.inputs && spec.archs.every((arch) => arch in locked.targets)) return locked;
  throw new EmballageError('LOCK_OUTDATED', {
    doing: `looking up what ${spec.name} needs`,
    where: 'emballage.lock',
    expected: 'what the requirements ask for (deps/unlocked)',
    found: locked === undefined ? 'nothing about this function' : 'what other requirements, sources or targets gave',
    mend: `run \`emballage lock ${spec.name}\``,
  });
}

/** Fetches what is not in the store yet, some at once, and unpacks it. */
export async function readyPackages(
  project: Project,
  locked: readonly LockedPackage[],
  http: () => Promise<HttpClient>,
): Promise<ReadyPackage[]> {
  const store = new PackageStore(join(stateFolder(project), 'packages'));
  const open = [...locked];
  const fetchSome = async (): Promise<void> => {
    for (let one = open.shift(); one !== undefined; one = open.shift())
      await store.get(describe(project, one), await http());
  };
  const missing = locked.filter(({ sha256 }) => store.find(sha256) === undefined);
  open.splice(0, open.length, ...missing);
  await Promise.all(Array.from({ length: Math.min(AT_ONCE, missing.length) }, fetchSome));
  const ready: ReadyPackage[] = [];
  for (const one of locked) {
    const folder = join(stateFolder(project), 'unpacked', one.sha256);
    const wheel = await unpackWheel({ path: store.pathOf(one.sha256), file: one.file, folder });
    ready.push({ locked: one, wheel });
  }
  return ready;
}

function describe(project: Project, { file, sha256, size, from }: LockedPackage) {
  const url = /^https?:/.test(from) ? from : pathToFileURL(join(project.root, from)).href;
  return { file, sha256, size, url };
}
