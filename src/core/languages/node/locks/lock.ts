/** Settles the packages of a Node.js function: what its package lock has for each target, with digest, size and place. */
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import type { Place } from '../../../base/errors';
import { folderOf, joinPath, settlePath } from '../../../base/paths';
import { literalPattern, printable, percentDecoded } from '../../../base/text';
import { groupBy, severalAtOnce } from '../../../base/several';
import { contentDigest } from '../../../disk/digest';
import { writeWhole } from '../../../disk/write';
import {
  compareWithManifest,
  invalid,
  linkTarget,
  parseJson,
  placePackages,
  readLock,
  selectPackages,
  type LockEntry,
  manifestOf,
  type PackageLock,
  type ReadLock,
} from '../packages';
import { withoutCredentials } from '../../../toolchains/credentials';
import {
  notedSources,
  recordedPath,
  recordedSource,
  type ChosenSource,
  type HttpClient,
  type NotedSource,
  type PackageFile,
  type PackageStore,
} from '../../../sources';
import type { Arch } from '../../../sheet';
import type { LockedFunction, LockedPackage } from '../../../project/lock/lockfile';
import { packageStore } from '../../../project/user-packages';
import { libcOf } from '../../../project/destination-runtime';
import type { SettleRequest } from '../../language';
import { KEPT } from '../caches';
import { readNodeNeeds, type NodeNeeds } from './needs';
import type { LockedWorkspace } from '../own';
import { factsInPackage, withPlatforms } from '../view/package-facts';
import { askRegistry } from '../registry/npm-registry';
import { npmSettings, type NpmSettings } from '../registry/npm-settings';
import { workspacesOf } from './workspaces';

const AT_ONCE = 8;
const CPUS: Readonly<Record<Arch, 'x64' | 'arm64'>> = { x86_64: 'x64', arm64: 'arm64' };

/**
 * Settles the packages of a Node.js function from its lock file, for each architecture.
 * @throws EmballageError where one cannot be had
 */
export async function settle(request: SettleRequest<'node'>): Promise<LockedFunction> {
  const { project, spec } = request;
  const needs = readNodeNeeds(project, spec);
  if (needs === undefined) throw new Error('no needs');
  const read = readLock(needs.lockText, needs.lock, needs.from, () => workspacesOf(project, folderOf(needs.lock)));
  const lock = read.hasPlatforms ? read.packages : await withPlatforms(read.packages, request, needs);
  compareWithManifest(lock, needs.from, manifestOf(parseJson(needs.manifestText, needs.manifest)), {
    shown: needs.manifest,
    shownLock: needs.lock,
    placeOf: (name) => placeIn(needs.manifestText, needs.manifest, name),
  });
  if (!read.hasDigests)
    request.onNote(
      `${needs.lock} has digests of archives that Yarn makes itself, which nobody else can check; those that the registry states were locked`,
    );
  const fetching = new Fetching(request, needs, read);
  const targets: Record<string, LockedPackage[]> = {};
  const workspaces = new Map<string, LockedWorkspace>();
  for (const arch of spec.archs) {
    request.onSettling(spec.name, arch);
    const { packages, own } = choose(lock, needs, CPUS[arch], libcOf(project, spec));
    for (const one of own) workspaces.set(one.at, one);
    targets[arch] = await fetching.fetchAll(packages);
  }
  const own = [...workspaces.values()].sort((a, b) => (a.at < b.at ? -1 : 1));
  const { asked } = fetching;
  return {
    inputs: needs.inputs,
    ...(asked.length > 0 && { sources: asked }),
    targets,
    ...(own.length > 0 && { node: { workspaces: own } }),
  };
}

interface Chosen {
  readonly at: string;
  readonly entry: LockEntry;
  readonly by: readonly string[];
  readonly asked: NonNullable<LockedPackage['asked']>;
}

function choose(
  lock: PackageLock,
  needs: NodeNeeds,
  cpu: 'x64' | 'arm64',
  libc: 'glibc' | 'musl',
): { packages: Chosen[]; own: LockedWorkspace[] } {
  const selected = selectPackages(lock, needs.from, { os: 'linux', cpu, libc }, needs.lock);
  const folderOfLink = new Map(
    [...selected.values()].flatMap(({ entry }) =>
      entry.isLink ? [[entry.key, linkTarget(lock, entry, needs.lock).key] as const] : [],
    ),
  );
  const versions = groupBy(
    [...selected.values()].map(({ entry }) => entry),
    ({ name }) => name,
  );
  // Where several versions of a package ask, which one does matters.
  const nameOf = ({ name, version }: LockEntry): string =>
    new Set(versions.get(name)?.map((one) => one.version)).size > 1 ? `${name} ${version}` : name;
  const askers = new Map<string, Map<string, string>>();
  for (const { entry, finds } of selected.values())
    for (const [name, { key, range }] of finds) {
      const by = entry.key === needs.from ? needs.manifest : nameOf(entry);
      askers.set(key, (askers.get(key) ?? new Map<string, string>()).set(by, range === '' ? name : range));
    }
  const packages: Chosen[] = [];
  const own: LockedWorkspace[] = [];
  for (const { key, at } of placePackages(selected, needs.from, folderOfLink)) {
    const entry = lock.get(key);
    const folder = folderOfLink.get(key);
    if (folder !== undefined) own.push({ at, folder: workspaceFolder(needs, folder) });
    // What comes inside another package's tarball is unpacked with it.
    else if (entry !== undefined && !entry.isBundled)
      packages.push({ at, entry, ...whoAsks(askers.get(key) ?? new Map()) });
  }
  return { packages: packages.sort((a, b) => (a.at < b.at ? -1 : 1)), own };
}

function whoAsks(ranges: ReadonlyMap<string, string>): Pick<Chosen, 'by' | 'asked'> {
  const sorted = [...ranges].sort(([a], [b]) => (a < b ? -1 : 1));
  return { by: sorted.map(([by]) => by), asked: sorted.map(([by, as]) => ({ by, as })) };
}

function workspaceFolder(needs: NodeNeeds, folder: string): string {
  const path = settlePath(joinPath(folderOf(needs.lock), folder));
  if (path !== undefined && path !== '') return path;
  throw invalid(needs.lock, 'workspaces inside the project', `\`${printable(folder)}\``, 'move it into the project');
}

/** Fetches what a lock names; the same file is fetched once, whatever asks for it. */
class Fetching {
  readonly #request: SettleRequest<'node'>;
  readonly #needs: NodeNeeds;
  readonly #settings: NpmSettings;
  readonly #http: HttpClient;
  readonly #store: PackageStore;
  readonly #known = new Map<string, Promise<LockedPackage>>();
  /** Who served packages, by address. */
  readonly #asked = new Map<string, ChosenSource>();

  readonly #hasScripts: boolean;

  constructor(request: SettleRequest<'node'>, needs: NodeNeeds, { hasScripts }: Pick<ReadLock, 'hasScripts'>) {
    this.#hasScripts = hasScripts;
    this.#request = request;
    this.#needs = needs;
    const { project, spec, machine, http } = request;
    this.#settings = npmSettings(project, spec, folderOf(needs.lock), machine);
    this.#settings.notes.forEach((note) => request.onNote(note));
    this.#http = http.with({ credentials: this.#settings.credentials, way: this.#settings.way });
    this.#store = packageStore(request.project);
  }

  /** Who was asked, in the order of addresses. */
  get asked(): NotedSource[] {
    const sources = [...this.#asked.values()].sort((a, b) => (a.at < b.at ? -1 : 1));
    return notedSources(this.#request.project.root, sources);
  }

  async fetchAll(packages: readonly Chosen[]): Promise<LockedPackage[]> {
    const found: LockedPackage[] = [];
    await severalAtOnce(packages.entries(), AT_ONCE, async ([i, { at, entry, by, asked }]) => {
      const known = this.#known.get(entry.key) ?? this.#fetch(entry);
      this.#known.set(entry.key, known);
      found[i] = { ...withPlace(await known, at, by), asked };
    });
    return found;
  }

  async #fetch(entry: LockEntry): Promise<LockedPackage> {
    const file = tarballName(entry);
    const { from, integrity, index } = await this.#whereIs(entry);
    const memory = integrity === undefined ? undefined : this.#memoryOf(integrity);
    const remembered = memory !== undefined && existsSync(memory) ? readFileSync(memory, 'utf8') : undefined;
    const known = remembered === undefined ? undefined : this.#store.find(remembered);
    const described: PackageFile = {
      file,
      url: /^https?:/.test(from) ? from : pathToFileURL(join(this.#request.project.root, from)).href,
      ...(integrity !== undefined && { integrity }),
    };
    const { sha256, size } = known ?? (await this.#store.get(described, this.#http));
    if (memory !== undefined && known === undefined) writeWhole(memory, sha256, memory);
    const facts = this.#hasScripts ? entry : await factsInPackage(this.#request.project, sha256, file);
    return {
      name: entry.name,
      version: entry.version,
      file,
      sha256,
      size,
      index,
      from: /^https?:/.test(from) ? withoutCredentials(from) : from,
      by: [],
      node: {
        at: '',
        ...(facts.hasInstallScript && { script: true as const }),
        ...(facts.engines !== undefined && { engines: facts.engines }),
      },
    };
  }

  /** Which file has that integrity was found out when it was fetched. */
  #memoryOf(integrity: string): string {
    return this.#request.project.state.file(KEPT.integrity, contentDigest(integrity));
  }

  async #whereIs(entry: LockEntry): Promise<{ from: string; integrity?: string; index: string }> {
    const { resolved, integrity, name } = entry;
    const needs = this.#needs;
    const stated = integrity === undefined ? {} : { integrity };
    const inFolder = this.#inFolders(entry);
    if (inFolder !== undefined) return { ...inFolder, ...stated };
    if (resolved === undefined) {
      const dist = await askRegistry(entry, this.#settings, this.#http);
      // What the lock says counts more than what a registry says today.
      const counted = integrity ?? dist.integrity;
      const index = this.#note(dist.source);
      return { from: dist.url, index, ...(counted !== undefined && { integrity: counted }) };
    }
    if (resolved.startsWith('file:')) {
      const path = settlePath(joinPath(folderOf(needs.lock), percentDecoded(resolved.slice('file:'.length))));
      if (path !== undefined) return { from: path, index: '', ...stated };
    }
    if (/^https?:\/\//.test(resolved)) {
      const registry = this.#settings.registryFor(name);
      const from = atRegistry(resolved, name, registry?.at);
      if (registry !== undefined && from.startsWith(registry.at))
        return { from, index: this.#note(registry), ...stated };
      const at = resolved.slice(0, Math.max(0, resolved.indexOf(`/${name}/-/`))) || new URL(resolved).origin;
      return { from, index: this.#note({ kind: 'index', at: `${at}/`, why: needs.lock }), ...stated };
    }
    throw invalid(
      needs.lock,
      'the address of a tarball, or a file of the project',
      `\`${printable(resolved.slice(0, 120))}\` for \`${printable(entry.name)}\``,
      'take the package from a registry; what comes out of version control has no digest to hold it to',
    );
  }

  #note(source: ChosenSource): string {
    const index = recordedSource(this.#request.project.root, source);
    if (!this.#asked.has(index)) this.#asked.set(index, source);
    return index;
  }

  /** A folder of tarballs, named as npm packs them. */
  #inFolders(entry: LockEntry): { from: string; index: string } | undefined {
    const { root } = this.#request.project;
    for (const source of this.#settings.folders) {
      const path = join(source.at, tarballName(entry));
      if (existsSync(path)) return { from: recordedPath(root, path), index: this.#note(source) };
    }
    return undefined;
  }
}

function tarballName({ name, version }: LockEntry): string {
  return `${name.replace(/^@/, '').replaceAll('/', '-')}-${version}.tgz`;
}

/** A package may lie in several places; what is not its usual one tells them apart. */
function withPlace(one: LockedPackage, at: string, by: readonly string[]): LockedPackage {
  const isUsual = at === `node_modules/${one.name}`;
  return { ...one, by: [...by], ...(!isUsual && { apart: `in ${at}` }), node: { ...one.node, at } };
}

/**
 * A lock names the registry that was asked when it was written. Where another is configured for the name, the file is
 * taken from there: its digest says that it is the same.
 */
function atRegistry(resolved: string, name: string, registry: string | undefined): string {
  const tail = resolved.indexOf(`/${name}/-/`);
  return registry === undefined || tail < 0 ? resolved : registry + resolved.slice(tail + 1);
}

function placeIn(text: string, file: string, name: string): Place {
  const at = Math.max(
    0,
    text.indexOf(`${JSON.stringify(name)}:`),
    text.search(new RegExp(`"${literalPattern(name)}"\\s*:`)),
  );
  const before = text.slice(0, at).split('\n');
  return { file, line: before.length, column: (before.at(-1)?.length ?? 0) + 1 };
}
