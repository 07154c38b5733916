/** Builds functions: those whose folder looks as it did are done by a look; the others are made again. */
import { lstatSync } from 'node:fs';
import { join } from 'node:path';
import { sameStamp, stampOf, type Stamp } from '../../disk/stamp';
import { surveySource, type CollectRequest, type Survey } from '../../fileset/collect';
import type { HttpClient } from '../../sources';
import { isNative, type Arch, type FunctionSpec } from '../../sheet';
import type { Machine } from '../../toolchains/machine';
import { runtimeOf } from '../../project/destination-runtime';
import type { RegistryConnection } from '../../sources/registry';
import type { LockedBase, LockedFunction } from '../../project/lockfile';
import { StatIndex, writeStatIndex } from './stat-index';
import { artifactPath, indexPath, stateFolder, waybillPath, wholeLayoutPath, type Project } from '../../project/targets';

export interface BuildRequest {
  readonly project: Project;
  readonly functions: readonly FunctionSpec[];
  /** Threads that compress. */
  readonly jobs: number;
  /** Seconds since 1970 that entries carry (SOURCE_DATE_EPOCH); the format's floor where there is none. */
  readonly epochSeconds?: number;
  /** Milliseconds since 1970. */
  readonly now: () => number;
  /** Name and version of the tool. */
  readonly tool: string;
  /** For locked packages that are not in the store. */
  readonly http: () => Promise<HttpClient>;
  /** For what has to run here: compiling bytecode, building packages from source. */
  readonly machine: Machine;
  /** Registries, for bases of images that are not in the store. */
  readonly registry: (host: string, plainHttp: boolean) => Promise<RegistryConnection>;
  readonly onEvent: (event: BuildEvent) => void;
}

export type BuildEvent =
  | { readonly kind: 'waiting' }
  | { readonly kind: 'compiling'; readonly name: string; readonly arch: Arch }
  | {
      readonly kind: 'fetching';
      readonly doing: string;
      readonly doneBytes: number;
      readonly totalBytes: number;
    }
  | { readonly kind: 'packing'; readonly name: string; readonly doneBytes: number; readonly totalBytes: number };

export interface BuiltTarget {
  readonly name: string;
  readonly arch: Arch;
  /** `unchanged`: nothing was done. `same`: made again, with the same bytes. `stored`: taken from the store. */
  readonly status: 'unchanged' | 'same' | 'stored' | 'built';
  /** Relative to the project. */
  readonly artifact: string;
  readonly waybill: string;
  readonly size: number;
  readonly unpacked: number;
  readonly files: number;
  readonly sha256: string;
  /** Bytes of packages that were taken out. */
  readonly trimmed: number;
}

export interface BuiltFunction {
  readonly targets: readonly BuiltTarget[];
  /** Files whose content was read and hashed, and files that were packed. */
  readonly hashed: number;
  readonly packed: number;
  readonly leftOut: Survey['leftOut'];
}

export async function build(request: BuildRequest): Promise<BuiltFunction[]> {
  const quick = await lookAtAll(request);
  const unchanged = quick.flatMap((look) => (look.unchanged === undefined ? [] : [look.unchanged]));
  if (unchanged.length === quick.length) return unchanged;
  const [{ withBuildLock }, { makeFunctions }] = await Promise.all([import('./build-lock'), import('./make')]);
  const lock = { stateFolder: stateFolder(request.project), onWait: () => request.onEvent({ kind: 'waiting' }) };
  return withBuildLock(lock, async (hasWaited) => {
    // Another build may have done the work while this one waited for the lock; then everything is looked at afresh.
    const looks = hasWaited ? await lookAtAll(request) : quick;
    return makeFunctions(request, looks);
  });
}

async function lookAtAll(request: BuildRequest): Promise<Look[]> {
  const looks: Look[] = [];
  for (const spec of request.functions) looks.push(await lookForChange(request, spec));
  return looks;
}

export interface ChangedLook {
  readonly spec: FunctionSpec;
  readonly survey: Survey;
  /** When the look began. */
  readonly lookedAtMs: number;
  readonly index: StatIndex | undefined;
  readonly config: string;
  /** Names of files beside the source folder that counted. */
  readonly extra: string;
  readonly locked: LockedFunction | undefined;
  /** What an image stands on, as it was settled. */
  readonly base: LockedBase | undefined;
  readonly unchanged?: undefined;
}

/** What a look at a function gave; with `unchanged` there is nothing to do. */
export type Look = ChangedLook | { readonly spec: FunctionSpec; readonly unchanged: BuiltFunction };

type LookRequest = Omit<BuildRequest, 'functions' | 'onEvent' | 'jobs' | 'http' | 'machine' | 'registry'>;

/** Looks at a function's source folder and artifacts without reading a file. */
export async function lookForChange(request: LookRequest, spec: FunctionSpec): Promise<Look> {
  const lookedAtMs = request.now();
  const index = StatIndex.read(indexPath(request.project, spec));
  const locked = await lookUpLock(request.project, spec);
  const base = await lookUpBase(request.project, spec);
  const shared = await sharedStateOf(request.project, spec, locked);
  const config = configOf(request, spec, { locked, base }, shared);
  const targets = index?.config === config ? unchangedTargets(request.project, spec, index) : undefined;
  const asBefore = (leftOut: Survey['leftOut']): Look => ({
    spec,
    unchanged: { targets: targets ?? [], hashed: 0, packed: 0, leftOut },
  });
  if (targets !== undefined && index?.standsAsItDid(join(request.project.root, spec.source)) === true)
    return asBefore(index.leftOut);
  const survey = surveySource(collectRequest(request.project, spec, locked !== undefined));
  const hasChanged = survey.refused.length > 0 || index?.matches(survey.items) !== true;
  if (targets === undefined || index === undefined || hasChanged)
    return { spec, survey, lookedAtMs, index, config, locked, base, extra: await extraOf(request.project, spec) };
  refreshIndex(request.project, spec, { config, index, survey, lookedAtMs });
  return asBefore(index.leftOut);
}

/** The same as a look would find it now: files beside the source folder are known only after compiling. */
export async function configAfter(
  request: Pick<LookRequest, 'project' | 'tool' | 'epochSeconds'>,
  { spec, locked, base, config, extra }: ChangedLook,
): Promise<string> {
  if (!isNative(spec.runtime.language)) return config;
  const { extraFiles, extraState } = await import('../../languages/compiled/files-read');
  // Where the files are those that were known before, how they stood before counts.
  if (extraFiles(request.project, spec).join('\n') === extra) return config;
  const shared = extraState(request.project, spec) + (await baseStateOf(request.project, spec));
  return configOf(request, spec, { locked, base }, shared);
}

/** What else of the project a function's artifact depends on. */
async function sharedStateOf(
  project: Project,
  spec: FunctionSpec,
  locked: LockedFunction | undefined,
): Promise<string> {
  const base = await baseStateOf(project, spec);
  if (isNative(spec.runtime.language)) return (await import('../../languages/compiled/files-read')).extraState(project, spec) + base;
  if (spec.runtime.language !== 'node') return base;
  return (await import('../../languages/node/shared-source')).sharedState(project, spec, locked) + base;
}

/** What a base that lies in the project looks like. */
async function baseStateOf(project: Project, spec: FunctionSpec): Promise<string> {
  return spec.form === 'image' ? (await import('../image/base')).baseState(project, spec) : '';
}

async function lookUpBase(project: Project, spec: FunctionSpec): Promise<LockedBase | undefined> {
  return spec.form === 'image' ? (await import('../image/locked-base')).lockedBase(project, spec) : undefined;
}

async function extraOf(project: Project, spec: FunctionSpec): Promise<string> {
  if (!isNative(spec.runtime.language)) return '';
  return (await import('../../languages/compiled/files-read')).extraFiles(project, spec).join('\n');
}

/** What the lock says of a function. Its code, and that of the language, is loaded only for functions that may have needs. */
async function lookUpLock(project: Project, spec: FunctionSpec): Promise<LockedFunction | undefined> {
  const { lockedFunction } = await import('../lock/locked');
  return lockedFunction(project, spec);
}

/** Folders whose times moved without a change that counts are remembered as they look now. */
function refreshIndex(
  project: Project,
  spec: FunctionSpec,
  look: Pick<ChangedLook, 'config' | 'survey' | 'lookedAtMs'> & { readonly index: StatIndex },
): void {
  const { config, index, survey, lookedAtMs } = look;
  if (survey.hasLinks) return;
  const digests = index.knownDigests(survey.items);
  const { targets, leftOut } = index;
  try {
    writeStatIndex(indexPath(project, spec), { config, targets, survey, leftOut, digests, lookedAtMs });
  } catch {
    // The next look takes a little longer, nothing more.
  }
}

/** @param isLocked whether packages come from the lock, so that those installed in the source folder are not wanted */
export function collectRequest(project: Project, spec: FunctionSpec, isLocked: boolean): CollectRequest {
  return {
    projectRoot: project.root,
    source: spec.source,
    entryFile: spec.entry.file,
    leaveOut: spec.leaveOut,
    keep: spec.keep,
    links: spec.links,
    emptyFolders: spec.emptyFolders,
    skip:
      isLocked && spec.runtime.language === 'node'
        ? { folder: 'node_modules', by: 'installed' }
        : spec.runtime.language === 'rust'
          ? { folder: 'target', by: 'compiler' }
          : undefined,
  };
}

/** Everything but the source files that artifact and waybill depend on. */
function configOf(
  request: Pick<BuildRequest, 'project' | 'tool' | 'epochSeconds'>,
  spec: FunctionSpec,
  { locked, base }: { readonly locked: LockedFunction | undefined; readonly base: LockedBase | undefined },
  shared: string,
): string {
  const { place: _place, ...inputs } = spec;
  const destination = request.project.sheet.destinations[spec.destination];
  const runtime = runtimeOf(request.project, spec);
  const native = { start: runtime?.start, glibc: runtime?.glibc, musl: runtime?.musl };
  const image = { base, memory: destination?.memory, timeoutMostMs: destination?.timeoutMostMs };
  return JSON.stringify({
    tool: request.tool,
    epochSeconds: request.epochSeconds,
    project: request.project.sheet.project,
    inputs,
    entry: destination?.entry,
    locked,
    shared,
    provides: runtime?.provides,
    ...(isNative(spec.runtime.language) && { native }),
    ...(spec.form === 'image' && { image }),
  });
}

/** The targets, when all of them lie there as the last build left them. */
function unchangedTargets(project: Project, spec: FunctionSpec, index: StatIndex): BuiltTarget[] | undefined {
  const whole = spec.archs.flatMap((arch) => unchangedTarget(project, spec, arch, index) ?? []);
  if (spec.form === 'image' && outputStamp(join(project.root, wholeLayoutPath(spec), 'index.json')) === undefined)
    return undefined;
  return whole.length === spec.archs.length ? whole : undefined;
}

function unchangedTarget(project: Project, spec: FunctionSpec, arch: Arch, index: StatIndex): BuiltTarget | undefined {
  const record = index.targets[arch];
  if (record === undefined) return undefined;
  const paths = { artifact: artifactPath({ spec, arch }), waybill: waybillPath({ spec, arch }) };
  const isAsBefore = (path: string, stamp: Stamp): boolean => {
    const now = outputStamp(join(project.root, path));
    return now !== undefined && sameStamp(now, stamp);
  };
  if (!isAsBefore(paths.artifact, record.artifact) || !isAsBefore(paths.waybill, record.waybill)) return undefined;
  const { sha256, size, unpacked, files, trimmed } = record;
  return { name: spec.name, arch, status: 'unchanged', ...paths, size, unpacked, files, sha256, trimmed };
}

/**
 * The stamp of an output file, without its change time: that moves whenever the store links or drops the same content.
 */
export function outputStamp(path: string): Stamp | undefined {
  let stat;
  try {
    stat = lstatSync(path, { throwIfNoEntry: false });
  } catch {
    // A file where a folder should be: whatever comes of it comes up when the artifact is put there.
    return undefined;
  }
  return stat?.isFile() === true ? { ...stampOf(stat), ctimeMs: 0 } : undefined;
}
