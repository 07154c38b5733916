/**
 * What locks of several package managers have in common: packages, and which of them each finds under which name. They
 * say nothing of places, so the packages are laid out here: as near to the top as can be, and where a name is taken by
 * another version, in the folder of the one that asks.
 */
import { joinPath } from '../../../base/paths';
import { nearestInstalled } from '../view/owner';
import type { LockEntry, Manifest, PackageLock } from './package-lock';

/** A package of a lock, or a folder of the project that is one. */
export interface GraphPackage {
  /** Tells it from all others of the lock. */
  readonly id: string;
  readonly name: string;
  readonly version: string;
  readonly resolved?: string;
  readonly integrity?: string;
  readonly engines?: string;
  readonly os?: readonly string[];
  readonly cpu?: readonly string[];
  readonly libc?: readonly string[];
  readonly hasInstallScript?: boolean;
  /** For a folder of the project: relative to the lock. */
  readonly folder?: string;
  readonly finds: readonly GraphEdge[];
}

export interface GraphEdge {
  /** The name under which it is found. */
  readonly name: string;
  readonly range: string;
  /** The id of what is found; undefined where the lock has none. */
  readonly to: string | undefined;
  readonly kind: keyof Manifest;
}

/** A folder of the project that is a package: the lock's own, or one of its workspaces. */
export interface LockFolder {
  /** Relative to the lock; '' for its own. */
  readonly folder: string;
  readonly name: string;
  readonly version: string;
  readonly manifest: Manifest;
}

export interface LockFolders {
  readonly all: readonly LockFolder[];
  named(name: string): LockFolder | undefined;
}

export type LockGraph = ReadonlyMap<string, GraphPackage>;

const MAX_PLACES = 200_000;

/** @param from the folder whose needs are laid out */
export function layOut(graph: LockGraph, from: GraphPackage): PackageLock {
  const lock = new Map<string, LockEntry>();
  const ids = new Map<string, string>();
  const open: { readonly at: string; readonly one: GraphPackage }[] = [];
  const put = (at: string, one: GraphPackage): void => {
    if (lock.has(at)) return;
    lock.set(at, entryAt(at, one));
    open.push({ at, one });
  };
  put(from.folder ?? '', from);
  for (let next = open.shift(); next !== undefined; next = open.shift())
    for (const { name, to } of [...next.one.finds].sort((a, b) => (a.name < b.name ? -1 : 1))) {
      const found = to === undefined ? undefined : graph.get(to);
      const seen = nearestInstalled(name, next.at, (path) => ids.get(path));
      if (found === undefined || seen === found.id) continue;
      // The function's own packages lie beside the lock, where all look last.
      const at = joinPath(seen === undefined ? '' : next.at, `node_modules/${name}`);
      if (lock.size > MAX_PLACES) throw new Error('packages without end');
      ids.set(at, found.id);
      if (found.folder === undefined) put(at, found);
      else {
        lock.set(at, { ...entryAt(at, found), resolved: found.folder, isLink: true });
        put(found.folder, found);
      }
    }
  return lock;
}

function entryAt(key: string, one: GraphPackage): LockEntry {
  const ranges = (kind: keyof Manifest): Record<string, string> =>
    Object.fromEntries(one.finds.filter((edge) => edge.kind === kind).map(({ name, range }) => [name, range]));
  const { name, version, resolved, integrity, engines, os, cpu, libc } = one;
  return {
    key,
    name,
    version,
    isLink: false,
    isBundled: false,
    hasInstallScript: one.hasInstallScript ?? false,
    ...(resolved !== undefined && { resolved }),
    ...(integrity !== undefined && { integrity }),
    ...(engines !== undefined && { engines }),
    ...(os !== undefined && { os }),
    ...(cpu !== undefined && { cpu }),
    ...(libc !== undefined && { libc }),
    dependencies: ranges('dependencies'),
    optionalDependencies: ranges('optionalDependencies'),
    peerDependencies: ranges('peerDependencies'),
  };
}

const KINDS = ['dependencies', 'optionalDependencies', 'peerDependencies'] as const;

/** What a package.json asks for, each with what a lock finds for it. */
export function edgesOfManifest(
  manifest: Manifest,
  find: (name: string, range: string) => string | undefined,
): GraphEdge[] {
  return KINDS.flatMap((kind) =>
    Object.entries(manifest[kind]).map(([name, range]) => ({ name, range, kind, to: find(name, range) })),
  );
}
