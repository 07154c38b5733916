/** Which files of a package a function takes: the nearest framework, the nearest system ("Package asset selection"). */
import { baseOf, folderOf } from '../../../base/paths';
import { nearness, type System } from '../published/systems';
import { frameworkFor, nearestFramework } from './frameworks';

export interface Asset {
  readonly kind: 'runtime' | 'native' | 'resources';
  /** Path in the package. */
  readonly path: string;
  /** Path beside the function's own assembly. */
  readonly file: string;
  readonly culture?: string;
}

export interface PackageAssets {
  readonly assets: readonly Asset[];
  /** Taken from what is for .NET Framework: it may run. */
  readonly isFallback: boolean;
  /** The package has assemblies, and none that serves. */
  readonly isForOthers: boolean;
}

/** Stands for nothing. */
const PLACEHOLDER = '_._';

/** Which files of a package a system takes: the nearest framework, the nearest runtime identifier. */
export function assetsOf(paths: readonly string[], system: System): PackageAssets {
  const own = frameworkFor(String(system.version));
  const rids = orderedRids(paths, system);
  const native = rids.flatMap((rid) => paths.filter((path) => path.startsWith(`runtimes/${rid}/native/`)));
  const libraries = [...rids.map((rid) => `runtimes/${rid}/lib/`), 'lib/'];
  for (const isFallback of [false, true])
    for (const root of libraries) {
      const folder = nearestFramework(foldersIn(paths, root), (name) => name, own, isFallback);
      if (folder === undefined) continue;
      const inside = paths.filter((path) => path.startsWith(folder === '' ? root : `${root}${folder}/`));
      const texts = root === 'lib/' ? [] : resourcesIn(paths, 'lib/', own);
      const assets = [...managedIn(inside), ...texts, ...native.map(nativeAsset)];
      return { assets: unique(assets), isFallback, isForOthers: false };
    }
  const isForOthers = paths.some((path) => /^(?:lib|runtimes\/[^/]+\/lib)\/.+\.(?:dll|exe)$/i.test(path));
  return { assets: unique(native.map(nativeAsset)), isFallback: false, isForOthers };
}

/** The systems that a package has files for and the target takes, the nearest first. */
function orderedRids(paths: readonly string[], system: System): string[] {
  const all = new Set(paths.flatMap((path) => /^runtimes\/([^/]+)\//.exec(path)?.[1] ?? []));
  return [...all]
    .flatMap((rid) => {
      const place = nearness(rid, system);
      return place === undefined ? [] : [{ rid, place }];
    })
    .sort((a, b) => a.place - b.place || (a.rid < b.rid ? -1 : 1))
    .map(({ rid }) => rid);
}

/** Folders of frameworks below a root; '' where assemblies lie in the root itself, as in very old packages. */
function foldersIn(paths: readonly string[], root: string): string[] {
  const names = paths.flatMap((path) => {
    if (!path.startsWith(root)) return [];
    const [first = '', ...rest] = path.slice(root.length).split('/');
    return [rest.length === 0 ? '' : first];
  });
  return [...new Set(names)];
}

function managedIn(paths: readonly string[]): Asset[] {
  return paths.flatMap((path): Asset[] => {
    if (baseOf(path) === PLACEHOLDER || !/\.(?:dll|exe)$/i.test(path)) return [];
    if (!/\.resources\.dll$/i.test(path)) return [{ kind: 'runtime', path, file: baseOf(path) }];
    const culture = baseOf(folderOf(path));
    return [{ kind: 'resources', path, file: `${culture}/${baseOf(path)}`, culture }];
  });
}

/** Texts of other languages are the same on every system. */
function resourcesIn(paths: readonly string[], root: string, own: ReturnType<typeof frameworkFor>): Asset[] {
  const folder = nearestFramework(foldersIn(paths, root), (name) => name, own, false);
  const inside = folder === undefined ? [] : paths.filter((path) => path.startsWith(`${root}${folder}/`));
  return managedIn(inside).filter(({ kind }) => kind === 'resources');
}

function nativeAsset(path: string): Asset {
  return { kind: 'native', path, file: baseOf(path) };
}

/** The nearest of each name. */
function unique(assets: readonly Asset[]): Asset[] {
  const found = new Map<string, Asset>();
  for (const asset of assets) if (!found.has(asset.file)) found.set(asset.file, asset);
  return [...found.values()];
}
