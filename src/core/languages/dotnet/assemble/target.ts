/** The file set of one target of a .NET function: what was published, with its packages, without what it does without. */
import { lstatSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { baseOf, comparePaths } from '../../../base/paths';
import { fileDigest } from '../../../disk/digest';
import { stampOf } from '../../../disk/stamp';
import { sortEntries } from '../../../fileset/collect';
import {
  FILE_MODE,
  PROGRAM_MODE,
  type FileSet,
  type LeftOut,
  type Overlap,
  type PackedEntry,
  type PackedFile,
  type Reason,
  type Trimmed,
  type UnseenImport,
} from '../../../fileset/model';
import { keeperOf } from '../../../fileset/selection';
import { generated } from '../../../project/state/made-files';
import type { Assembly, AssemblyRequest } from '../../language';
import { projectFileOf, statesNeeds, systemOf } from '../locks/needs';
import { assetsOf, type Asset } from '../packages/assets';
import { readyPackages, type ReadyPackage } from '../packages';
import { readAssemblies } from '../published/assemblies';
import { besideAssembly, type BesideAssembly } from '../published/beside';
import { readDepsFile, withoutAssets, type DepsFile } from '../published/deps-file';
import { depsWith } from '../published/made-deps';
import { runtimeConfigText } from '../published/runtime-config';
import { publish } from '../run/publish';
import { traceAssemblies } from './trace';
import { safeRule } from './trim';

/** Settings of feeds may hold logins. */
const FEED_SETTINGS = /^nuget\.config$/i;

interface Gathered {
  readonly entries: readonly PackedEntry[];
  readonly leftOut: readonly LeftOut[];
  readonly toolchains: readonly string[];
  readonly sourceDigests: ReadonlyMap<string, string>;
}

/** @param whole the function's own files */
export async function assemble(request: AssemblyRequest<'dotnet'>, whole: FileSet): Promise<Assembly> {
  const { project, spec, packages } = request;
  const ready = await readyPackages(request);
  const projectFile = projectFileOf(project, spec);
  const gathered =
    projectFile === undefined ? asPublished(whole) : await publish(request, whole, { projectFile, ready });
  const beside = besideAssembly(spec.entry.file);
  const added =
    projectFile === undefined ? withPackages(request, gathered.entries, ready, beside) : nothingAdded(gathered);
  const deps = depsIn(added.entries, beside.deps);
  const named = withConfig(request, withOwners(added.entries, deps, beside), beside);
  const trimmed = spec.trim === 'off' ? { entries: named, trimmed: [], unseen: [] } : trim(request, named, deps, whole);
  const entries = withMatchingDeps(request, trimmed.entries, beside.deps, named);
  const { dotnet } = request.locked ?? {};
  return {
    fileSet: { entries: sortEntries(entries), leftOut: gathered.leftOut },
    packages: packages.filter((one) => one.dotnet?.build !== true),
    trimmed: trimmed.trimmed,
    overlaps: added.overlaps,
    unseen: trimmed.unseen,
    missing: [],
    modules: [],
    sourceDigests: gathered.sourceDigests,
    toolchains: gathered.toolchains,
    hostEntry: spec.entry,
    ...(dotnet !== undefined && { carried: { dotnet } }),
  };
}

function asPublished({ entries, leftOut }: FileSet): Gathered {
  const left: LeftOut[] = [...leftOut];
  const kept = entries.filter(({ path, reason }) => {
    const name = baseOf(path);
    const by = FEED_SETTINGS.test(name)
      ? 'login-file'
      : statesNeeds(name) && reason.why !== 'kept'
        ? 'requirements'
        : undefined;
    if (by !== undefined) left.push({ path, by, kind: 'file' });
    return by === undefined;
  });
  return { entries: kept, leftOut: left, toolchains: [], sourceDigests: new Map() };
}

interface Added {
  readonly entries: readonly PackedEntry[];
  readonly overlaps: readonly Overlap[];
}

function nothingAdded({ entries }: Gathered): Added {
  return { entries, overlaps: [] };
}

/** The files of packages beside the function's own, and a note of them where the host looks. */
function withPackages(
  { project, spec, arch }: AssemblyRequest<'dotnet'>,
  own: readonly PackedEntry[],
  ready: readonly ReadyPackage[],
  beside: BesideAssembly,
): Added {
  const packed = ready.filter(({ locked }) => locked.dotnet?.build !== true);
  if (packed.length === 0) return { entries: own, overlaps: [] };
  const system = systemOf(project, spec, arch);
  const taken = new Map(own.map((entry) => [entry.path, entry]));
  const overlaps: Overlap[] = [];
  const notes = packed.map(({ locked, unpacked }) => {
    const { assets } = assetsOf(
      unpacked.files.map(({ path }) => path),
      system,
    );
    const shown = `${locked.name} ${locked.version}`;
    for (const asset of assets) {
      const file = packageFile({ locked, unpacked }, asset);
      const there = taken.get(asset.file);
      if (there === undefined) taken.set(asset.file, file);
      else if (there.kind !== 'file' || (there.sha256 ?? fileDigest(there.source)) !== file.sha256)
        overlaps.push({ path: asset.file, kept: ownerOf(there) || 'the function', dropped: shown });
    }
    const needs = packed.filter((other) => other.locked.by.includes(locked.name));
    return {
      name: locked.name,
      version: locked.version,
      contentHash: locked.dotnet?.contentHash ?? '',
      assets,
      needs: Object.fromEntries(needs.map((other) => [other.locked.name, other.locked.version])),
      isDirect: locked.by.includes(spec.name),
    };
  });
  const { deps: path, program } = beside;
  const known = textOf(taken.get(path));
  if (known !== undefined) readDepsFile(known, path);
  const made = madeFile(project, path, depsWith(known, program, notes, system), 'packages');
  taken.set(path, made);
  return { entries: [...taken.values()], overlaps };
}

function packageFile({ locked, unpacked }: ReadyPackage, { path, file, kind }: Asset): PackedFile {
  const found = unpacked.files.find((one) => one.path === path);
  const source = join(unpacked.folder, path);
  const { name, version } = locked;
  return {
    path: file,
    kind: 'file',
    source,
    mode: kind === 'native' && !/\.[^./]+$/.test(file) ? PROGRAM_MODE : FILE_MODE,
    origin: { from: 'package', name, version, at: path },
    reason: { why: 'needed', by: locked.by },
    size: found?.size ?? 0,
    stamp: stampOf(lstatSync(source)),
    ...(found !== undefined && { sha256: found.sha256 }),
  };
}

function madeFile(project: AssemblyRequest<'dotnet'>['project'], path: string, text: string, by: string): PackedFile {
  const { source, size, sha256 } = generated(project, text);
  return {
    path,
    kind: 'file',
    mode: FILE_MODE,
    source,
    size,
    sha256,
    origin: { from: 'generated', by: 'emballage' },
    reason: { why: 'made-for', by },
    stamp: stampOf(lstatSync(source)),
  };
}

function textOf(entry: PackedEntry | undefined): string | undefined {
  return entry?.kind === 'file' ? readFileSync(entry.source, 'utf8') : undefined;
}

function depsIn(entries: readonly PackedEntry[], path: string): DepsFile | undefined {
  const text = textOf(entries.find((one) => one.path === path));
  return text === undefined ? undefined : readDepsFile(text, path);
}

/** What a publish folder says came from packages came from there, although nothing here locked them. */
function withOwners(
  entries: readonly PackedEntry[],
  deps: DepsFile | undefined,
  beside: BesideAssembly,
): PackedEntry[] {
  const libraries = (deps?.libraries ?? []).filter(({ type }) => /^(?:package|runtimepack)$/.test(type));
  const owners = new Map(
    libraries.flatMap(({ name, assets }) => assets.map(({ file, path }) => [file, { name, at: path }] as const)),
  );
  return entries.map((entry): PackedEntry => {
    const owner = entry.origin.from === 'source' ? owners.get(entry.path) : undefined;
    if (owner === undefined) return entry;
    const reason: Reason = entry.reason.why === 'in-source' ? { why: 'needed', by: [beside.deps] } : entry.reason;
    return { ...entry, origin: { from: 'unlocked', ...owner }, reason };
  });
}

/** Without it a host does not know which framework to start. */
function withConfig(
  { project, spec }: AssemblyRequest<'dotnet'>,
  entries: readonly PackedEntry[],
  { config: path }: BesideAssembly,
): PackedEntry[] {
  const isThere = entries.some((one) => one.path === path);
  const isCalled = entries.some((one) => one.path === spec.entry.file);
  if (isThere || !isCalled) return [...entries];
  return [...entries, madeFile(project, path, runtimeConfigText(spec.runtime.version), spec.runtime.text)];
}

interface Trim {
  readonly entries: readonly PackedEntry[];
  readonly trimmed: readonly Trimmed[];
  readonly unseen: readonly UnseenImport[];
}

function trim(
  { project, spec, arch }: AssemblyRequest<'dotnet'>,
  entries: readonly PackedEntry[],
  deps: DepsFile | undefined,
  whole: FileSet,
): Trim {
  const rids = new Map(
    deps?.libraries.flatMap(({ assets }) =>
      assets.flatMap(({ file, rid }) => (rid === undefined ? [] : [[file, rid] as const])),
    ),
  );
  const paths = new Set(entries.map(({ path }) => path));
  const keptBy = keeperOf(spec.keep, whole);
  const trimmed: Trimmed[] = [];
  const settings = {
    system: systemOf(project, spec, arch),
    languages: spec.byLanguage.languages,
    ridOf: (path: string) => rids.get(path),
  };
  const take = (entry: PackedFile, by: string): void => {
    trimmed.push({ path: entry.path, size: entry.size, package: ownerOf(entry), by });
  };
  let kept = entries.filter((entry) => {
    if (entry.kind !== 'file' || keptBy(entry.path) !== undefined) return true;
    const by = safeRule(entry.path, paths, settings);
    if (by !== undefined) take(entry, by);
    return by === undefined;
  });
  const unseen: UnseenImport[] = [];
  if (spec.trim === 'traced') {
    const traced = traceEntries(kept, spec.entry.file, deps, keptBy);
    unseen.push(...traced.unseen);
    kept = kept.flatMap((entry): PackedEntry[] => {
      const reason = traced.reasonOf(entry);
      if (reason !== undefined) return [reason === 'as-it-is' ? entry : { ...entry, reason }];
      if (entry.kind === 'file') take(entry, 'not-reached');
      return [];
    });
  }
  return { entries: kept, trimmed: trimmed.sort((a, b) => comparePaths(a.path, b.path)), unseen };
}

function traceEntries(
  entries: readonly PackedEntry[],
  entry: string,
  deps: DepsFile | undefined,
  keptBy: (path: string) => string | undefined,
): {
  readonly unseen: readonly UnseenImport[];
  readonly reasonOf: (entry: PackedEntry) => Reason | 'as-it-is' | undefined;
} {
  const files = new Map(entries.map((one) => [one.path, one]));
  const assemblies = readAssemblies(files.keys(), (path) => {
    const file = files.get(path);
    return file?.kind === 'file' ? readFileSync(file.source) : undefined;
  });
  const owner = (path: string): string => {
    const file = files.get(path);
    return file === undefined ? '' : ownerOf(file);
  };
  const packs = new Set(deps?.libraries.flatMap(({ type, name }) => (type === 'runtimepack' ? [name] : [])));
  const { reached, unseen } = traceAssemblies({
    assemblies,
    entry,
    keptBy,
    ownerOf: owner,
    isWhole: (name) => packs.has(name),
  });
  const withAssemblies = new Set([...assemblies.all.keys()].map(owner));
  const used = new Set([...reached.keys()].map(owner));
  return {
    unseen,
    reasonOf(one) {
      const reason = reached.get(one.path);
      if (reason !== undefined) return reason;
      if (assemblies.all.has(one.path)) return undefined;
      // Native libraries and data of a package go with its assemblies.
      const name = ownerOf(one);
      return name === '' || !withAssemblies.has(name) || used.has(name) ? 'as-it-is' : undefined;
    },
  };
}

function ownerOf({ origin }: PackedEntry): string {
  return origin.from === 'package' || origin.from === 'unlocked' ? origin.name : '';
}

/** The host refuses to start where its list names what is not there. */
function withMatchingDeps(
  { project }: AssemblyRequest<'dotnet'>,
  entries: readonly PackedEntry[],
  depsPath: string,
  before: readonly PackedEntry[],
): PackedEntry[] {
  const there = new Set(entries.map(({ path }) => path));
  const gone = new Set(before.map(({ path }) => path).filter((path) => !there.has(path)));
  return entries.map((entry) => {
    const text = entry.path === depsPath ? textOf(entry) : undefined;
    if (text === undefined) return entry;
    const matching = withoutAssets(text, depsPath, (file) => gone.has(file));
    return matching === text ? entry : madeFile(project, depsPath, matching, 'what was trimmed');
  });
}
