/** The locked packages of a target, fetched by their digests and unpacked. Nothing is resolved here. */
import { resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { EmballageError } from '../../../base/errors';
import { printable } from '../../../base/text';
import { severalAtOnce } from '../../../base/several';
import { unpackWheel, unpackWheels, type UnpackedWheel } from '../wheel/wheel';
import type { HttpClient, PackageFile } from '../../../sources';
import type { LockedPackage } from '../../../project/lock/lockfile';
import type { AssemblyRequest } from '../../language';
import { asPipAsks, sourcesOf, type PythonSources } from './stated-sources';
import { pythonTargets, readNeeds } from '../locks/needs';
import type { LockedSource } from '../own';
import { buildFromSource } from '../wheel/source-builds';
import { mostUnpacked, packageStore, unpackedFolder } from '../../../project/user-packages';
import type { Project } from '../../../project/targets';

export interface ReadyPackage {
  readonly locked: LockedPackage;
  readonly wheel: UnpackedWheel;
}

const AT_ONCE = 8;

/** Fetches what is not in the store yet, some at once, builds what comes as source, and unpacks it. */
export async function readyPackages(request: AssemblyRequest<'python'>): Promise<ReadyPackage[]> {
  const { project, packages, jobs } = request;
  const store = packageStore(project);
  const open = packages.filter(({ sha256 }) => store.find(sha256) === undefined);
  if (open.length > 0) {
    const asking = await askingFor(request);
    await severalAtOnce(open, AT_ONCE, async (one) =>
      one.python?.source === undefined
        ? store.get(describe(project, one), asking.http)
        : buildAgain(request, asking, one, one.python.source),
    );
  }
  const mostBytes = mostUnpacked(project);
  const wheels = packages.map((locked) => {
    const { sha256, file } = locked;
    return { locked, wheel: { path: store.pathOf(sha256), file, folder: unpackedFolder(project, sha256), mostBytes } };
  });
  await unpackWheels(
    wheels.map(({ wheel }) => wheel),
    jobs,
  );
  const ready: ReadyPackage[] = [];
  for (const { locked, wheel } of wheels) ready.push({ locked, wheel: await unpackWheel(wheel) });
  return ready;
}

interface Asking {
  readonly sources: PythonSources['sources'];
  readonly http: HttpClient;
}

async function askingFor({ project, spec, http, machine }: AssemblyRequest<'python'>): Promise<Asking> {
  const needs = readNeeds(project, spec);
  const client = await http();
  if (needs === undefined) return { sources: [], http: client };
  const found = await sourcesOf(project, spec, needs, machine);
  return { sources: found.sources, http: asPipAsks(client, found, machine) };
}

/** Builds a wheel as it was built when it was settled; it must come out the same. */
async function buildAgain(
  { project, spec, arch, machine }: AssemblyRequest<'python'>,
  { sources, http }: Asking,
  locked: LockedPackage,
  source: LockedSource,
): Promise<void> {
  const target = pythonTargets(project, spec).get(arch);
  if (target === undefined) return;
  const store = packageStore(project);
  const { shared } = project.state;
  const files = { wheel: store.pathOf(locked.sha256) };
  // It is known by its digest, whoever built it.
  if ((await shared.fetch('package', locked.sha256, files)) && store.find(locked.sha256) !== undefined) return;
  const build = { project, machine, target, sources, http };
  const prefer = new Map(source.with.map((one) => one.split(' ') as [string, string]));
  const built = await buildFromSource(build, describe(project, source), prefer);
  if (built.sha256 === locked.sha256) {
    shared.offer('package', locked.sha256, files);
    return;
  }
  throw new EmballageError('SOURCE_MISMATCH', {
    doing: 'building a wheel from source',
    where: printable(source.file),
    expected: `what was built when it was settled, SHA-256 ${locked.sha256}`,
    found: `SHA-256 ${built.sha256}`,
    mend: 'make the wheel once, keep it in a folder of the project, and name that as a source',
  });
}

function describe(
  project: Project,
  { file, sha256, size, from }: Pick<LockedPackage, 'file' | 'sha256' | 'size' | 'from'>,
): PackageFile {
  const url = /^https?:/.test(from) ? from : pathToFileURL(resolve(project.root, from)).href;
  return { file, sha256, size, url };
}
