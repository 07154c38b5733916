/** Settles the third-party packages of a Python function: for every target, the same on every machine. */
import { EmballageError } from '../../../base/errors';
import { runtimeOf } from '../../../project/destination-runtime';
import type { LockedFunction, LockedPackage } from '../../../project/lock/lockfile';
import { packageStore } from '../../../project/user-packages';
import type { Project } from '../../../project/targets';
import type { FunctionSpec } from '../../../sheet';
import {
  alsoAtNote,
  notedSources,
  recordedPath,
  recordedSource,
  type HttpClient,
  type PackageStore,
} from '../../../sources';
import { withoutCredentials } from '../../../toolchains/credentials';
import { percentDecoded } from '../../../base/text';
import type { SettleRequest } from '../../language';
import { projectFor, type Candidate } from '../sources/candidates';
import { markerEnvironment } from '../versions/environment';
import { KEPT } from '../caches';
import { normalizeName } from '../versions/marker';
import { pythonTargets, readNeeds, type FunctionNeeds } from './needs';
import { PythonProvider } from '../sources/provider';
import { readPylock } from './pylock';
import { resolveRequirements, type ResolveRequest } from './resolve';
import { buildFromSource, type BuiltWheel } from '../wheel/source-builds';
import { asPipAsks, sourcesOf, type PythonSource } from '../sources/stated-sources';
import { pipWay } from '../sources/pip-settings';
import type { PythonTarget } from '../versions/tags';
import { parseVersion } from '../versions/version';

/** Settles the packages of a Python function for its architectures. @throws EmballageError where nothing fits */
export async function settle(request: SettleRequest<'python'>): Promise<LockedFunction> {
  const { project, spec, known, machine } = request;
  const needs = readNeeds(project, spec);
  if (needs === undefined) throw new Error('no needs');
  const targets: Record<string, LockedPackage[]> = {};
  const store = packageStore(project);
  const isSettled = needs.settled !== undefined;
  const found = isSettled
    ? { sources: [], way: pipWay(machine), notes: [] }
    : await sourcesOf(project, spec, needs, machine);
  found.notes.forEach((note) => request.onNote(note));
  const http = asPipAsks(request.http, found, machine);
  for (const [arch, target] of pythonTargets(project, spec)) {
    request.onSettling(spec.name, arch);
    const settling = { request, needs, target, store, sources: found.sources, http };
    targets[arch] =
      needs.settled === undefined
        ? await settleTarget(settling, preferences(request, known?.targets[arch]))
        : await takeSettled(settling, needs.settled);
  }
  return { inputs: needs.inputs, targets, ...(!isSettled && { sources: notedSources(project.root, found.sources) }) };
}

interface Settling {
  readonly request: SettleRequest<'python'>;
  readonly needs: FunctionNeeds;
  readonly target: PythonTarget;
  readonly store: PackageStore;
  readonly sources: readonly PythonSource[];
  readonly http: HttpClient;
}

async function settleTarget(settling: Settling, prefer: ReadonlyMap<string, string>): Promise<LockedPackage[]> {
  const { request, needs, target, store, sources, http } = settling;
  const { machine, project, spec } = request;
  const builds = new Map<string, BuiltWheel>();
  const provider = new PythonProvider({
    sources,
    http,
    store,
    metadataFolder: project.state.folder(KEPT.metadata),
    target,
    build: async (candidate) => {
      const built = await buildFromSource({ project, machine, target, sources, http }, candidate.file);
      builds.set(candidate.file.url, built);
      project.state.shared.offer('package', built.sha256, { wheel: store.pathOf(built.sha256) });
      return store.pathOf(built.sha256);
    },
  });
  const resolved = await resolveRequirements({
    name: spec.name,
    target,
    requirements: needs.stated,
    source: provider,
    provided: providedNames(request.project, spec),
    ...libcPlace(project, spec),
    prefer,
    onNote: request.onNote,
  });
  const packages: LockedPackage[] = [];
  for (const { name, candidate, by, asked } of resolved) {
    const source = provider.sourceOf(name, candidate.file);
    const index = source === undefined ? '' : recordedSource(project.root, source);
    await tellOthers(request, provider, name, index);
    const known = await lockedPackage(settling, name, candidate, { index, by: plainNames(by) });
    const locked = { ...known, asked: plainAsked(asked) };
    const built = builds.get(candidate.file.url);
    if (candidate.isLastResort === true)
      request.onNote(
        `${name} ${candidate.version.text} has no wheel, although other versions have; it was built from its source`,
      );
    packages.push(built === undefined ? locked : fromSource(locked, built));
  }
  return packages;
}

function libcPlace(project: Project, spec: FunctionSpec): Pick<ResolveRequest, 'libcPlace'> {
  const file = project.sheet.destinations[spec.destination]?.file;
  return file === undefined ? {} : { libcPlace: { file, runtime: spec.runtime.text } };
}

/** The wheel that was built, and what it was built from. */
function fromSource({ file, sha256, size, from, ...rest }: LockedPackage, built: BuiltWheel): LockedPackage {
  const source = { file, sha256, size, from, with: [...built.with] };
  const { name, version, index, by, asked } = rest;
  return {
    name,
    version,
    file: built.file,
    sha256: built.sha256,
    size: built.size,
    index,
    from: '',
    by,
    ...(asked !== undefined && { asked }),
    python: { source },
  };
}

/** A requirements file is named without its line, which moves for reasons of its own. */
function plainNames(by: readonly string[]): string[] {
  return [...new Set(by.map((one) => one.replace(/:\d+$/, '')))].sort();
}

function plainAsked(
  asked: Iterable<{ readonly by: string; readonly as: string }>,
): NonNullable<LockedPackage['asked']> {
  const plain = new Map(Array.from(asked, ({ by, as }) => [by.replace(/:\d+$/, ''), as]));
  return [...plain].map(([by, as]) => ({ by, as: as === '' ? 'any version' : as }));
}

/** A name that several indexes have comes from the first of them, which may not be the one that is meant. */
async function tellOthers(
  { project, onNote }: SettleRequest<'python'>,
  provider: PythonProvider,
  name: string,
  index: string,
): Promise<void> {
  const others = await provider.alsoAt(name);
  const recorded = others.map((one) => recordedSource(project.root, one));
  if (recorded.length > 0) onNote(alsoAtNote(name, name, index, recorded));
}

async function takeSettled(
  settling: Settling,
  settled: { readonly path: string; readonly text: string },
): Promise<LockedPackage[]> {
  const { target, request } = settling;
  const { spec } = request;
  const { packages, problems } = readPylock(settled.text, settled.path, markerEnvironment(target));
  const fail = (more: typeof problems): never => {
    throw new EmballageError('REQUIREMENTS_INVALID', {
      doing: `reading what ${spec.name} needs`,
      found: `${settled.path} does not serve ${target.arch}, Python ${target.python}`,
      mend: 'make the file for this target too, or state requirements instead',
      problems: more,
    });
  };
  if (problems.length > 0) fail(problems);
  const provided = providedNames(request.project, spec);
  const locked: LockedPackage[] = [];
  for (const { name, version, files } of packages) {
    if (provided.has(name)) continue;
    const wanted = parseVersion(version)?.text;
    const candidate = projectFor(name, files, target).candidates.find((one) => one.version.text === wanted);
    if (candidate === undefined) {
      const place = { file: settled.path, line: 1, column: 1 };
      const found = `none among ${String(files.length)} of ${name} ${version}`;
      fail([{ place, expected: `a wheel for ${target.arch}`, found, mend: 'make the file for this target too' }]);
    } else locked.push(await lockedPackage(settling, name, candidate, { index: settled.path, by: [settled.path] }));
  }
  return locked.sort((a, b) => (a.name < b.name ? -1 : 1));
}

async function lockedPackage(
  { request, store, http }: Settling,
  name: string,
  { version, file }: Candidate,
  { index, by }: Pick<LockedPackage, 'index' | 'by'>,
): Promise<LockedPackage> {
  const from = file.url.startsWith('file:')
    ? recordedPath(request.project.root, percentDecoded(new URL(file.url).pathname))
    : withoutCredentials(file.url);
  // What the source does not say is measured.
  const { sha256, size } =
    file.sha256 !== undefined && file.size !== undefined
      ? { sha256: file.sha256, size: file.size }
      : await store.get(file, http);
  return { name, version: version.text, file: file.file, sha256, size, index, from, by };
}

function providedNames(project: Project, spec: FunctionSpec): Set<string> {
  return new Set((runtimeOf(project, spec)?.provides ?? []).map((one) => normalizeName(one.split(/[\s=<>]/)[0] ?? '')));
}

function preferences(
  { upgrade }: SettleRequest<'python'>,
  known: readonly LockedPackage[] | undefined,
): Map<string, string> {
  if (upgrade === 'all') return new Map();
  const free = new Set(upgrade.map(normalizeName));
  const kept = (known ?? []).filter(({ name }) => !free.has(name));
  return new Map(kept.map(({ name, version }) => [name, version]));
}
