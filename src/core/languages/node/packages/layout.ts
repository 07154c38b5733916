/**
 * Where packages lie in an artifact. The function's folder becomes the artifact's root, so what its lock has beside and
 * above it moves below; every package must still find, as Node.js looks for it, just what it found before.
 */
import { joinPath } from '../../../base/paths';
import { nearestInstalled } from '../view/owner';
import type { SelectedPackage } from './select';

export interface PlacedPackage {
  readonly key: string;
  /** Path in the artifact. */
  readonly at: string;
}

const MAX_PLACES = 200_000;

/**
 * @param from the function's folder, relative to the lock
 * @param folderOfLink by key of a link: the key of its folder
 * @returns in the order in which they were placed; links at their places, their folders not
 */
export function placePackages(
  selected: ReadonlyMap<string, SelectedPackage>,
  from: string,
  folderOfLink: ReadonlyMap<string, string>,
): PlacedPackage[] {
  const places = new Map<string, string>();
  // What lies nearest to the function comes first, and wins a place that two want.
  const keys = [...selected.keys()]
    .filter((key) => key.includes('node_modules/'))
    .sort((a, b) => near(b, from) - near(a, from));
  for (const key of keys) {
    const at = mapped(key, from, folderOfLink);
    if (!places.has(at)) places.set(at, key);
  }
  const open = ['', ...places.keys()];
  for (let at = open.shift(); at !== undefined; at = open.shift()) {
    const key = at === '' ? from : (places.get(at) ?? '');
    for (const [name, { key: wanted }] of selected.get(folderOfLink.get(key) ?? key)?.finds ?? []) {
      if (look(places, at, name) === wanted) continue;
      const own = joinPath(at, `node_modules/${name}`);
      places.set(own, wanted);
      open.push(own);
      if (places.size > MAX_PLACES) throw new Error('packages without end');
    }
  }
  return [...places].map(([at, key]) => ({ at, key }));
}

/** How much of the function's own path a key shares. */
function near(key: string, from: string): number {
  const folder = key.slice(0, key.indexOf('node_modules/'));
  return `${from}/`.startsWith(folder) ? folder.length : -1;
}

/** The place in the artifact that comes nearest to the one in the lock. */
function mapped(key: string, from: string, folderOfLink: ReadonlyMap<string, string>): string {
  const start = key.indexOf('node_modules/');
  const folder = key.slice(0, Math.max(0, start - 1));
  if (`${from}/`.startsWith(`${folder}/`) || folder === '') return key.slice(start);
  // What lies in the folder of a workspace goes where the workspace goes.
  for (const [link, target] of folderOfLink)
    if (target === folder) return joinPath(mapped(link, from, folderOfLink), key.slice(start));
  return key.slice(start);
}

function look(places: ReadonlyMap<string, string>, at: string, name: string): string | undefined {
  return nearestInstalled(name, at, (path) => places.get(path));
}
