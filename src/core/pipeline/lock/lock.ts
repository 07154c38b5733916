/** Settles the third-party files of functions into the lock: for every target, the same on every machine. */
import { join } from 'node:path';
import { EmballageError } from '../../base/errors';
import { present } from '../../base/present';
import {
  markerEnvironment,
  normalizeName,
  parseVersion,
  projectFor,
  PythonProvider,
  readPylock,
  resolveRequirements,
  type Candidate,
  type PythonTarget,
  type SourceSpec,
} from '../../languages/python';
import { PackageStore, withoutCredentials, type HttpClient } from '../../sources';
import { isNative, type Arch, type FunctionSpec } from '../../sheet';
import type { RegistryConnection } from '../../sources/registry';
import type { Machine } from '../../toolchains/machine';
import { statedNeeds } from './locked';
import { BaseLocker } from './lock-base';
import {
  lockNameOf,
  readLock,
  writeLock,
  type Lock,
  type LockedBase,
  type LockedFunction,
  type LockedPackage,
} from '../../project/lockfile';
import { runtimeOf } from '../../project/destination-runtime';
import { pythonTargets, readNeeds, type FunctionNeeds } from '../../languages/python/needs';
import { buildFromSource, type BuiltWheel } from '../../languages/python/source-builds';
import { stateFolder, type Project } from '../../project/targets';

export interface LockRequest {
  readonly project: Project;
  readonly functions: readonly FunctionSpec[];
  readonly http: HttpClient;
  readonly machine: Machine;
  /** Names of packages whose locked versions no longer count, normalised; all of them. */
  readonly upgrade: readonly string[] | 'all';
  /** Registries, for bases of images. */
  readonly registry: (host: string, plainHttp: boolean) => Promise<RegistryConnection>;
  /** Threads that compress. */
  readonly jobs: number;
  readonly onSettling: (name: string, arch: Arch) => void;
  readonly onBase: (doing: string, doneBytes: number, totalBytes: number) => void;
}

export interface LockedChange {
  readonly name: string;
  readonly arch: string;
  readonly before?: string;
  readonly after?: string;
}

export interface LockOutcome {
  readonly name: string;
  /** `unchanged`: the requirements are those that were settled, and nothing was asked of anybody. */
  readonly status: 'unchanged' | 'settled' | 'no-needs';
  readonly targets: Readonly<Record<string, readonly LockedPackage[]>>;
  readonly changes: readonly LockedChange[];
  /** What the image stands on. */
  readonly base?: LockedBase;
}

/** Settles what is not settled yet and writes the lock, whole, when everything has succeeded. */
export async function lockFunctions(request: LockRequest): Promise<LockOutcome[]> {
  const before = readLock(request.project.root, lockNameOf(request.project));
  const functions: Record<string, LockedFunction> = { ...before.functions };
  const outcomes: LockOutcome[] = [];
  const bases = new BaseLocker(request, before.bases ?? {});
  for (const spec of request.functions)
    outcomes.push(await bases.add(spec, await lockNeeds(request, spec, before, functions)));
  const inSheet = new Set(request.project.sheet.functions.map(({ name }) => name));
  const kept = <T>(all: Readonly<Record<string, T>>): Record<string, T> =>
    Object.fromEntries(Object.entries(all).filter(([name]) => inSheet.has(name)));
  const settled = kept(bases.all);
  const lock: Lock = {
    lock: 1,
    functions: kept(functions),
    ...(Object.keys(settled).length > 0 && { bases: settled }),
  };
  if (JSON.stringify(lock) !== JSON.stringify(before))
    writeLock(request.project.root, lock, lockNameOf(request.project));
  return outcomes;
}

/** Settles what one function needs from others. */
async function lockNeeds(
  request: LockRequest,
  spec: FunctionSpec,
  before: Lock,
  functions: Record<string, LockedFunction>,
): Promise<LockOutcome> {
  const needs = await statedNeeds(request.project, spec);
  const known = before.functions[spec.name];
  if (needs === undefined) {
    Reflect.deleteProperty(functions, spec.name);
    return { name: spec.name, status: 'no-needs', targets: {}, changes: changesBetween(known, undefined) };
  }
  if (known?.inputs === needs.inputs && request.upgrade.length === 0 && hasFiles(request.project, spec, known))
    return { name: spec.name, status: 'unchanged', targets: known.targets, changes: [] };
  const settled = await settleFunction(request, spec, known);
  functions[spec.name] = settled;
  return { name: spec.name, status: 'settled', targets: settled.targets, changes: changesBetween(known, settled) };
}

/** What native code needs is fetched when it is locked, since its build fetches nothing. */
function hasFiles(project: Project, spec: FunctionSpec, known: LockedFunction): boolean {
  if (!isNative(spec.runtime.language)) return true;
  const store = new PackageStore(join(stateFolder(project), 'packages'));
  return Object.values(known.targets).every((packages) =>
    packages.every(({ sha256 }) => store.find(sha256) !== undefined),
  );
}

async function settleFunction(
  request: LockRequest,
  spec: FunctionSpec,
  known: LockedFunction | undefined,
): Promise<LockedFunction> {
  if (spec.runtime.language === 'node') return settleNode(request, spec);
  if (spec.runtime.language === 'java') return settleJvm(request, spec);
  if (isNative(spec.runtime.language)) return settleNative(request, spec);
  const needs = readNeeds(request.project, spec);
  if (needs === undefined) throw new Error('no needs');
  const targets: Record<string, LockedPackage[]> = {};
  const store = new PackageStore(join(stateFolder(request.project), 'packages'));
  for (const [arch, target] of pythonTargets(request.project, spec)) {
    request.onSettling(spec.name, arch);
    const settling = { request, spec, needs, target, store };
    targets[arch] =
      needs.settled === undefined
        ? await settleTarget(settling, preferences(request, known?.targets[arch]))
        : await takeSettled(settling, needs.settled);
  }
  return { inputs: needs.inputs, targets };
}

async function settleNode(request: LockRequest, spec: FunctionSpec): Promise<LockedFunction> {
  const [{ settleNodeFunction }, { readNodeNeeds }] = await Promise.all([
    import('../../languages/node/lock'),
    import('../../languages/node/needs'),
  ]);
  const { project, http, machine, onSettling } = request;
  const needs = readNodeNeeds(project, spec);
  if (needs === undefined) throw new Error('no needs');
  return settleNodeFunction({ project, spec, needs, http, npm: machine.npm, onSettling });
}

async function settleJvm(request: LockRequest, spec: FunctionSpec): Promise<LockedFunction> {
  const [{ settleJvmFunction }, { readJvmNeeds }] = await Promise.all([import('../../languages/jvm/lock'), import('../../languages/jvm/needs')]);
  const { project, http, machine, onSettling } = request;
  const needs = readJvmNeeds(project, spec);
  if (needs === undefined) throw new Error('no needs');
  const { maven, npm } = machine;
  return settleJvmFunction({ project, spec, needs, http, maven, credentials: npm.credentials, onSettling });
}

async function settleNative(request: LockRequest, spec: FunctionSpec): Promise<LockedFunction> {
  const [{ settleNativeFunction }, { readNativeNeeds }] = await Promise.all([
    import('../../languages/compiled/lock'),
    import('../../languages/compiled/needs'),
  ]);
  const { project, http, onSettling } = request;
  const needs = readNativeNeeds(project, spec);
  if (needs === undefined) throw new Error('no needs');
  return settleNativeFunction({ project, spec, needs, http, onSettling });
}

interface Settling {
  readonly request: LockRequest;
  readonly spec: FunctionSpec;
  readonly needs: FunctionNeeds;
  readonly target: PythonTarget;
  readonly store: PackageStore;
}

async function settleTarget(settling: Settling, prefer: ReadonlyMap<string, string>): Promise<LockedPackage[]> {
  const { request, spec, needs, target, store } = settling;
  const sources = sourcesOf(request.project, spec, needs);
  const { http, machine } = request;
  const state = stateFolder(request.project);
  const builds = new Map<string, BuiltWheel>();
  const provider = new PythonProvider({
    sources,
    http,
    store,
    metadataFolder: join(state, 'metadata'),
    target,
    build: async (candidate) => {
      const built = await buildFromSource(
        { machine, target, sources, http, store, stateFolder: state },
        candidate.file,
      );
      builds.set(candidate.file.url, built);
      return store.pathOf(built.sha256);
    },
  });
  const resolved = await resolveRequirements({
    name: spec.name,
    target,
    requirements: needs.stated,
    source: provider,
    provided: providedNames(request.project, spec),
    prefer,
  });
  const packages: LockedPackage[] = [];
  for (const { name, candidate, by } of resolved) {
    const index = shownSource(request.project, provider.sourceOf(name));
    const locked = await lockedPackage(settling, name, candidate, { index, by: plainNames(by) });
    const built = builds.get(candidate.file.url);
    packages.push(built === undefined ? locked : fromSource(locked, built));
  }
  return packages;
}

/** The wheel that was built, and what it was built from. */
function fromSource({ file, sha256, size, from, ...rest }: LockedPackage, built: BuiltWheel): LockedPackage {
  const source = { file, sha256, size, from, with: [...built.with] };
  const { name, version, index, by } = rest;
  return { name, version, file: built.file, sha256: built.sha256, size: built.size, index, from: '', source, by };
}

/** A requirements file is named without its line, which moves for reasons of its own. */
function plainNames(by: readonly string[]): string[] {
  return [...new Set(by.map((one) => one.replace(/:\d+$/, '')))].sort();
}

/** A source as it may be recorded: without a login, and the same on every machine. */
function shownSource(project: Project, source: SourceSpec | undefined): string {
  if (source === undefined) return '';
  return source.kind === 'folder' ? source.at.slice(project.root.length + 1) : withoutCredentials(source.at);
}

async function takeSettled(
  settling: Settling,
  settled: { readonly path: string; readonly text: string },
): Promise<LockedPackage[]> {
  const { target, request, spec } = settling;
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
  { request, store }: Settling,
  name: string,
  { version, file }: Candidate,
  { index, by }: Pick<LockedPackage, 'index' | 'by'>,
): Promise<LockedPackage> {
  const from = file.url.startsWith('file:')
    ? decodeURIComponent(new URL(file.url).pathname).slice(request.project.root.length + 1)
    : withoutCredentials(file.url);
  // What the source does not say is measured.
  const { sha256, size } =
    file.sha256 !== undefined && file.size !== undefined
      ? { sha256: file.sha256, size: file.size }
      : await store.get(file, request.http);
  return { name, version: version.text, file: file.file, sha256, size, index, from, by };
}

export function sourcesOf(project: Project, spec: FunctionSpec, needs: FunctionNeeds): SourceSpec[] {
  const sources: SourceSpec[] = spec.sources.map(({ kind, at, serves }) => ({
    kind,
    at: kind === 'folder' ? join(project.root, at) : at,
    ...(serves !== undefined && { serves }),
  }));
  for (const link of needs.links)
    sources.push(
      /^https?:/.test(link) ? { kind: 'links', at: link } : { kind: 'folder', at: join(project.root, link) },
    );
  if (sources.length > 0 || needs.stated.length === 0) return sources;
  throw new EmballageError('REQUIREMENTS_INVALID', {
    doing: `settling what ${spec.name} needs`,
    where: project.files[0] ?? '',
    expected: '`sources`: where requirements come from',
    found: 'none, here or in `defaults`',
    mend: 'add `sources: [{ index: "https://…/simple" }]`, or `[{ folder: wheels }]`',
  });
}

function providedNames(project: Project, spec: FunctionSpec): Set<string> {
  return new Set((runtimeOf(project, spec)?.provides ?? []).map((one) => normalizeName(one.split(/[\s=<>]/)[0] ?? '')));
}

function preferences(request: LockRequest, known: readonly LockedPackage[] | undefined): Map<string, string> {
  const { upgrade } = request;
  if (upgrade === 'all') return new Map();
  const kept = (known ?? []).filter(({ name }) => !upgrade.includes(name));
  return new Map(kept.map(({ name, version }) => [name, version]));
}

function changesBetween(before: LockedFunction | undefined, after: LockedFunction | undefined): LockedChange[] {
  const archs = new Set([...Object.keys(before?.targets ?? {}), ...Object.keys(after?.targets ?? {})]);
  return [...archs].flatMap((arch) => changesOf(arch, before?.targets[arch] ?? [], after?.targets[arch] ?? []));
}

function changesOf(arch: string, before: readonly LockedPackage[], after: readonly LockedPackage[]): LockedChange[] {
  // A package may lie in several places, in several versions.
  const key = ({ name, at, apart }: LockedPackage): string =>
    apart !== undefined
      ? `${name} for ${apart}`
      : at === undefined || at === `node_modules/${name}`
        ? name
        : `${name} in ${at}`;
  const old = new Map(before.map((one) => [key(one), one]));
  const now = new Map(after.map((one) => [key(one), one]));
  const names = [...new Set([...old.keys(), ...now.keys()])].sort();
  return names
    .filter((name) => old.get(name)?.sha256 !== now.get(name)?.sha256)
    .map((name) => present({ name, arch, before: old.get(name)?.version, after: now.get(name)?.version }));
}
