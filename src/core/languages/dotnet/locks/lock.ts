/** Settles the packages of a .NET function for every target. */
import { join } from 'node:path';
import { EmballageError } from '../../../base/errors';
import { folderOf } from '../../../base/paths';
import { severalAtOnce } from '../../../base/several';
import { printable } from '../../../base/text';
import type { LockedFunction, LockedPackage } from '../../../project/lock/lockfile';
import { packageStore } from '../../../project/user-packages';
import type { Project } from '../../../project/targets';
import type { FunctionSpec } from '../../../sheet';
import {
  alsoAtNote,
  notedSources,
  recordedPath,
  recordedSource,
  sheetSources,
  type ChosenSource,
  type HttpClient,
} from '../../../sources';
import type { Machine } from '../../../toolchains/machine';
import type { SettleRequest } from '../../language';
import { projectFileOf, readNeeds, systemOf, type DotnetNeeds } from './needs';
import type { LockedClash } from '../../../project/lock/locked-clash';
import { Feeds, mismatch, type FetchedPackage } from '../packages/feeds';
import { frameworkFor, nearestFramework } from '../packages/frameworks';
import { readLockFile } from '../packages/lock-file';
import type { Nuspec } from '../packages/nuspec';
import { resolvePackages, type PackageSource, type Wish } from '../packages/resolve';
import { feedSettings } from '../packages/settings-file';
import { parseVersion, type PackageVersion } from '../packages/version';
import type { System } from '../published/systems';

const AT_ONCE = 8;

/** Settles the packages of a .NET function for its architectures. @throws EmballageError where nothing fits */
export async function settle(request: SettleRequest<'dotnet'>): Promise<LockedFunction> {
  const { project, spec } = request;
  const needs = readNeeds(project, spec);
  if (needs === undefined) throw new Error('no needs');
  const { feeds, sources, notes } = feedsFor(project, spec, request);
  notes.forEach((note) => request.onNote(note));
  const targets: Record<string, LockedPackage[]> = {};
  const clashes = new Map<string, LockedClash>();
  for (const arch of spec.archs) {
    request.onSettling(spec.name, arch);
    const settling = { request, needs, feeds, system: systemOf(project, spec, arch) };
    const settled = await (needs.settled === undefined ? settleTarget(settling) : takeSettled(settling));
    targets[arch] = settled.packages;
    for (const one of settled.clashes) clashes.set(`${one.name} ${one.version} ${one.chain.join()}`, one);
  }
  return {
    inputs: needs.inputs,
    sources: notedSources(project.root, sources),
    targets,
    ...(clashes.size > 0 && { dotnet: { clashes: [...clashes.values()] } }),
  };
}

/** The feeds of a function, as this machine reaches them. @throws EmballageError REQUIREMENTS_INVALID where there are none */
export function feedsFor(
  project: Project,
  spec: FunctionSpec<'dotnet'>,
  { http, machine }: { readonly http: HttpClient; readonly machine: Machine },
): { readonly feeds: Feeds; readonly sources: readonly ChosenSource[]; readonly notes: readonly string[] } {
  const file = projectFileOf(project, spec);
  const folder = join(project.root, file === undefined ? spec.source : folderOf(file));
  const settings = feedSettings(project.root, folder, machine);
  const sources = spec.sources.length > 0 ? sheetSources(project.root, spec.sources) : settings.sources;
  if (sources.length === 0)
    throw new EmballageError('REQUIREMENTS_INVALID', {
      doing: `settling what ${spec.name} needs`,
      where: project.files[0] ?? '',
      expected: '`sources`, or a nuget.config that names feeds',
      found: 'neither',
      mend: 'add `sources: [{ index: "https://…/v3/index.json" }]`, or `[{ folder: packages }]`',
    });
  const { credentials } = machine;
  const store = packageStore(project);
  return {
    feeds: new Feeds(sources, { http, store, credentials, logins: settings.logins }),
    sources,
    notes: settings.notes,
  };
}

interface Settling {
  readonly request: SettleRequest<'dotnet'>;
  readonly needs: DotnetNeeds;
  readonly feeds: Feeds;
  readonly system: System;
}

interface Settled {
  readonly packages: LockedPackage[];
  readonly clashes: readonly LockedClash[];
}

async function settleTarget(settling: Settling): Promise<Settled> {
  const { request, needs, feeds, system } = settling;
  const asked = new AskedFeeds(feeds, system);
  const { packages, clashes } = await resolvePackages(request.spec.name, needs.wishes, asked);
  const found: LockedPackage[] = [];
  await severalAtOnce(packages.entries(), AT_ONCE, async ([i, one]) => {
    const source = await asked.sourceOf(one.name);
    await tellOthers(settling, one.name, source);
    const fetched = await feeds.fetch(source, one.name, one.version);
    found[i] = locked(settling, fetched, one.asked);
  });
  return { packages: found, clashes };
}

/** Feeds as the choice of versions asks them, each thing once. */
class AskedFeeds implements PackageSource {
  readonly #feeds: Feeds;
  readonly #system: System;
  readonly #versions = new Map<string, ReturnType<Feeds['versions']>>();
  readonly #wishes = new Map<string, Promise<readonly Wish[]>>();

  constructor(feeds: Feeds, system: System) {
    this.#feeds = feeds;
    this.#system = system;
  }

  async versions(name: string): Promise<readonly PackageVersion[]> {
    return (await this.#at(name))?.all ?? [];
  }

  async sourceOf(name: string): Promise<ChosenSource> {
    const found = await this.#at(name);
    if (found === undefined) throw new Error('no source');
    return found.source;
  }

  wishesOf(name: string, version: PackageVersion): Promise<readonly Wish[]> {
    const key = `${name.toLowerCase()}/${version.text}`;
    const known =
      this.#wishes.get(key) ??
      this.sourceOf(name)
        .then((source) => this.#feeds.nuspec(source, name, version))
        .then((nuspec) => wishesOf(nuspec, this.#system));
    this.#wishes.set(key, known);
    return known;
  }

  #at(name: string): ReturnType<Feeds['versions']> {
    const key = name.toLowerCase();
    const known = this.#versions.get(key) ?? this.#feeds.versions(name);
    this.#versions.set(key, known);
    return known;
  }
}

function wishesOf(nuspec: Nuspec, { version }: System): Wish[] {
  const own = frameworkFor(String(version));
  const nameOf = ({ framework }: Nuspec['groups'][number]): string => framework;
  const group =
    nearestFramework(nuspec.groups, nameOf, own, false) ?? nearestFramework(nuspec.groups, nameOf, own, true);
  const counts = (dependency: Nuspec['groups'][number]['dependencies'][number]): boolean =>
    !dependency.exclude.includes('all') &&
    !dependency.exclude.includes('runtime') &&
    (dependency.include?.some((one) => one === 'all' || one === 'runtime') ?? true);
  return (group?.dependencies ?? []).filter(counts).map(({ name, range }) => ({ name, range }));
}

/** What the ecosystem's own client has settled is taken as it is, and held to its digests. */
async function takeSettled(settling: Settling): Promise<Settled> {
  const { request, needs, feeds, system } = settling;
  const { path = '', text = '' } = needs.settled ?? {};
  const settled = readLockFile(text, path, request.spec.name, system);
  const packages: LockedPackage[] = [];
  await severalAtOnce(settled.entries(), AT_ONCE, async ([i, one]) => {
    const version = parseVersion(one.version);
    const found = await feeds.versions(one.name);
    if (found === undefined || version === undefined)
      throw new EmballageError('REQUIREMENTS_IMPOSSIBLE', {
        doing: 'settling packages',
        where: path,
        expected: `${printable(one.name)} ${one.version}`,
        found: 'no feed has it',
        mend: 'add the feed that has it to `sources`',
      });
    const fetched = await feeds.fetch(found.source, one.name, version);
    if (fetched.contentHash !== one.contentHash)
      throw mismatch(fetched.from, `the digest that ${path} has, ${one.contentHash}`, fetched.contentHash);
    packages[i] = locked(settling, fetched, one.asked);
  });
  return { packages, clashes: [] };
}

async function tellOthers({ request, feeds }: Settling, name: string, source: ChosenSource): Promise<void> {
  const { project, onNote } = request;
  const others = await feeds.alsoAt(name, source);
  const [at = '', ...recorded] = [source, ...others].map((one) => recordedSource(project.root, one));
  if (recorded.length > 0) onNote(alsoAtNote(name, name, at, recorded));
}

function locked(
  { request, needs }: Settling,
  { nuspec, file, sha256, size, from, source, contentHash }: FetchedPackage,
  asked: readonly { readonly by: string; readonly as: string }[],
): LockedPackage {
  const { root } = request.project;
  const isBuildOnly = nuspec.isForDeveloping || needs.buildOnly.has(nuspec.name.toLowerCase());
  return {
    name: nuspec.name,
    version: nuspec.version.text,
    file,
    sha256,
    size,
    index: recordedSource(root, source),
    from: recordedPath(root, from),
    by: [...new Set(asked.map(({ by }) => by))].sort(),
    asked: asked.map(({ by, as }) => ({ by, as })),
    dotnet: { contentHash, ...(isBuildOnly && { build: true as const }) },
  };
}
