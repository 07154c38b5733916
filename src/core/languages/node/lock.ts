/** Settles the packages of a Node.js function: what its package lock has for each target, with digest, size and place. */
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import type { Place } from '../../base/errors';
import { folderOf, joinPath, settlePath } from '../../base/paths';
import { literalPattern, printable } from '../../base/text';
import { severalAtOnce } from '../../base/several';
import { contentDigest } from '../../disk/digest';
import { writeWhole } from '../../disk/write';
import {
  asRecord,
  compareWithManifest,
  invalid,
  linkTarget,
  parseJson,
  placePackages,
  readPackageLock,
  selectPackages,
  type LockEntry,
  type Manifest,
  type PackageLock,
} from './packages';
import { withoutCredentials } from '../../toolchains/credentials';
import { type PackageFile, type PackageStore } from '../../sources';
import type { Machine } from '../../toolchains/machine';
import type { Arch } from '../../sheet';
import type { LockedFunction, LockedPackage } from '../../project/lockfile';
import { packageStore } from '../../project/package-store';
import type { Project } from '../../project/targets';
import { libcOf } from '../../project/destination-runtime';
import type { SettleRequest } from '../language';
import { KEPT } from './kept';
import { readNodeNeeds, type NodeNeeds } from './needs';
import type { LockedWorkspace } from './own';
import { readNpmConfig, type NpmConfig, type NpmConfigFile } from './registry/npm-config';
import { askRegistry } from './registry/npm-registry';

const AT_ONCE = 8;
const CPUS: Readonly<Record<Arch, 'x64' | 'arm64'>> = { x86_64: 'x64', arm64: 'arm64' };

export async function settle(request: SettleRequest<'node'>): Promise<LockedFunction> {
  const { project, spec } = request;
  const needs = readNodeNeeds(project, spec);
  if (needs === undefined) throw new Error('no needs');
  const lock = readPackageLock(needs.lockText, needs.lock);
  compareWithManifest(lock, needs.from, readManifest(needs), {
    shown: needs.manifest,
    shownLock: needs.lock,
    placeOf: (name) => placeIn(needs.manifestText, needs.manifest, name),
  });
  const fetching = new Fetching(request, needs);
  const targets: Record<string, LockedPackage[]> = {};
  const workspaces = new Map<string, LockedWorkspace>();
  for (const arch of spec.archs) {
    request.onSettling(spec.name, arch);
    const { packages, own } = choose(lock, needs, CPUS[arch], libcOf(project, spec));
    for (const one of own) workspaces.set(one.at, one);
    targets[arch] = await fetching.fetchAll(packages);
  }
  const own = [...workspaces.values()].sort((a, b) => (a.at < b.at ? -1 : 1));
  return { inputs: needs.inputs, targets, ...(own.length > 0 && { node: { workspaces: own } }) };
}

/** The registries and logins that count for packages of a lock in `folder`, relative to the project. */
export function npmConfigFor(project: Project, folder: string, machine: Machine): NpmConfig {
  const { variable, credentials, home } = machine;
  const text = (path: string): NpmConfigFile[] => {
    try {
      return [{ text: readFileSync(path, 'utf8'), variable }];
    } catch {
      return [];
    }
  };
  const either = (name: string): string | undefined => variable(name) ?? variable(name.toUpperCase());
  const registry = either('npm_config_registry');
  // The user's configuration and the system's, or the files that the environment names for them.
  const others = [
    either('npm_config_userconfig') ?? join(home, '.npmrc'),
    either('npm_config_globalconfig') ?? '/etc/npmrc',
  ];
  const folders = [...new Set([folder, ''])].map((one) => join(project.root, one, '.npmrc'));
  return readNpmConfig(
    [
      ...(registry === undefined ? [] : [{ text: `registry=${registry}`, variable }]),
      ...[...folders, ...others].flatMap(text),
    ],
    credentials,
  );
}

interface Chosen {
  readonly at: string;
  readonly entry: LockEntry;
  readonly by: readonly string[];
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
  const askers = new Map<string, Set<string>>();
  for (const { entry, finds } of selected.values())
    for (const key of finds.values())
      askers.set(key, (askers.get(key) ?? new Set()).add(entry.key === needs.from ? needs.manifest : entry.name));
  const packages: Chosen[] = [];
  const own: LockedWorkspace[] = [];
  for (const { key, at } of placePackages(selected, needs.from, folderOfLink)) {
    const entry = lock.get(key);
    const folder = folderOfLink.get(key);
    if (folder !== undefined) own.push({ at, folder: workspaceFolder(needs, folder) });
    // What comes inside another package's tarball is unpacked with it.
    else if (entry !== undefined && !entry.isBundled)
      packages.push({ at, entry, by: [...(askers.get(key) ?? [])].sort() });
  }
  return { packages: packages.sort((a, b) => (a.at < b.at ? -1 : 1)), own };
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
  readonly #config: NpmConfig;
  readonly #store: PackageStore;
  readonly #known = new Map<string, Promise<LockedPackage>>();

  constructor(request: SettleRequest<'node'>, needs: NodeNeeds) {
    this.#request = request;
    this.#needs = needs;
    this.#config = npmConfigFor(request.project, folderOf(needs.lock), request.machine);
    this.#store = packageStore(request.project);
  }

  async fetchAll(packages: readonly Chosen[]): Promise<LockedPackage[]> {
    const found: LockedPackage[] = [];
    await severalAtOnce(packages.entries(), AT_ONCE, async ([i, { at, entry, by }]) => {
      const known = this.#known.get(entry.key) ?? this.#fetch(entry);
      this.#known.set(entry.key, known);
      found[i] = withPlace(await known, at, by);
    });
    return found;
  }

  async #fetch(entry: LockEntry): Promise<LockedPackage> {
    const file = `${entry.name.replace(/^@/, '').replaceAll('/', '-')}-${entry.version}.tgz`;
    const { from, integrity, index } = await this.#whereIs(entry);
    const memory = integrity === undefined ? undefined : this.#memoryOf(integrity);
    const remembered = memory !== undefined && existsSync(memory) ? readFileSync(memory, 'utf8') : undefined;
    const known = remembered === undefined ? undefined : this.#store.find(remembered);
    const described: PackageFile = {
      file,
      url: /^https?:/.test(from) ? from : pathToFileURL(join(this.#request.project.root, from)).href,
      ...(integrity !== undefined && { integrity }),
      credentials: this.#config.credentials,
    };
    const { sha256, size } = known ?? (await this.#store.get(described, this.#request.http));
    if (memory !== undefined && known === undefined) writeWhole(memory, sha256, memory);
    return {
      ...{ name: entry.name, version: entry.version, file, sha256, size, index },
      from: /^https?:/.test(from) ? withoutCredentials(from) : from,
      by: [],
      node: {
        at: '',
        ...(entry.hasInstallScript && { script: true as const }),
        ...(entry.engines !== undefined && { engines: entry.engines }),
      },
    };
  }

  /** Which file has that integrity was found out when it was fetched. */
  #memoryOf(integrity: string): string {
    return this.#request.project.state.file(KEPT.integrity, contentDigest(integrity));
  }

  async #whereIs(entry: LockEntry): Promise<{ from: string; integrity?: string; index: string }> {
    const { resolved, integrity } = entry;
    const { http } = this.#request;
    const needs = this.#needs;
    const stated = integrity === undefined ? {} : { integrity };
    if (resolved === undefined) {
      const dist = await askRegistry(entry, this.#config, http);
      const { integrity: given } = dist;
      // What the lock says counts more than what a registry says today.
      const counted = integrity ?? given;
      const index = withoutCredentials(this.#config.registryFor(entry.name) ?? dist.url);
      return { from: dist.url, index, ...(counted !== undefined && { integrity: counted }) };
    }
    if (resolved.startsWith('file:')) {
      const path = settlePath(joinPath(folderOf(needs.lock), decodeURIComponent(resolved.slice('file:'.length))));
      if (path !== undefined) return { from: path, index: '', ...stated };
    }
    if (/^https?:\/\//.test(resolved)) {
      const index = this.#config.registryFor(entry.name);
      return { from: atRegistry(resolved, entry.name, index), index: index ?? '', ...stated };
    }
    throw invalid(
      needs.lock,
      'the address of a tarball, or a file of the project',
      `\`${printable(resolved.slice(0, 120))}\` for \`${printable(entry.name)}\``,
      'take the package from a registry; what comes out of version control has no digest to hold it to',
    );
  }
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

function readManifest({ manifest, manifestText }: NodeNeeds): Manifest {
  const value = parseJson(manifestText, manifest);
  const texts = (key: string): Record<string, string> =>
    Object.fromEntries(
      Object.entries(asRecord(value[key])).flatMap(([name, range]) =>
        typeof range === 'string' ? [[name, range]] : [],
      ),
    );
  const optionalDependencies = texts('optionalDependencies');
  // A name that stands in both is optional.
  const dependencies = Object.fromEntries(
    Object.entries(texts('dependencies')).filter(([name]) => !(name in optionalDependencies)),
  );
  return { dependencies, optionalDependencies, peerDependencies: texts('peerDependencies') };
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
