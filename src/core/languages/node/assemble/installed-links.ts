/**
 * Packages that were installed as links into a store: a package finds those beside it in the store, where Node.js looks from
 * the place that a link leads to. In an artifact they are laid out so that the same is found without links.
 */
import { readTextNow } from '../../../disk/to-read';
import { lstatSync, realpathSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { joinPath } from '../../../base/paths';
import type { KnownFile } from './files';
import { nearestInstalled, ownerOf } from '../view/owner';
import { asRecord } from '../packages';

/** The folder of packages at the top of a source folder, or of a folder in it. */
const TOP = /^(?:(?!.*node_modules\/).*\/)?node_modules\/(?:@[^/.][^/]*\/)?[^/.@][^/]*$/;

/**
 * @param files of the source folder
 * @param links paths of links in it
 * @param root absolute path of the source folder
 * @returns the same files where nothing is a link
 */
export function laidOut(files: readonly KnownFile[], links: readonly string[], root: string): readonly KnownFile[] {
  const tops = [...new Set([...files.map(({ owner }) => owner), ...links])].filter((path) => TOP.test(path));
  if (!tops.some((path) => isLink(join(root, path)))) return files;
  return new Layout(files, root).lay(tops);
}

/** Whether a package, or the scope that it lies in, is a link. */
function isLink(path: string): boolean {
  return lstatSync(path, { throwIfNoEntry: false })?.isSymbolicLink() === true;
}

class Layout {
  readonly #files: readonly KnownFile[];
  readonly #root: string;
  /** Files of packages by where they truly lie, with their paths in the package. */
  readonly #content = new Map<string, { readonly path: string; readonly file: KnownFile }[]>();
  /** Where packages truly lie, by where they are put. */
  readonly #placed = new Map<string, string>();
  readonly #reals = new Map<string, string | undefined>();

  constructor(files: readonly KnownFile[], root: string) {
    this.#files = files;
    this.#root = root;
    const homes = new Map<string, string>();
    for (const file of files) {
      const { owner, path } = file;
      const real = owner === '' ? undefined : this.#real(join(root, owner));
      // The same package is there once for each link to it.
      if (real === undefined || (homes.get(real) ?? owner) !== owner) continue;
      homes.set(real, owner);
      const content = this.#content.get(real) ?? [];
      this.#content.set(real, content);
      content.push({ path: path.slice(owner.length + 1), file });
    }
  }

  lay(tops: readonly string[]): KnownFile[] {
    const open = tops.flatMap((at) => {
      const real = this.#real(join(this.#root, at));
      return real === undefined ? [] : [{ at, real }];
    });
    for (const { at, real } of open) this.#placed.set(at, real);
    for (let next = open.shift(); next !== undefined; next = open.shift()) {
      const { at, real } = next;
      for (const name of dependenciesOf(real)) {
        const wanted = this.#find(real, name);
        if (wanted === undefined || !this.#content.has(wanted)) continue;
        const found = nearestInstalled(name, at, (path) => this.#placed.get(path));
        if (found === wanted) continue;
        // At the top where the place is free, so that others find it too; below the one that asks otherwise.
        const top = at.slice(0, at.indexOf('node_modules/'));
        const place = joinPath(found === undefined ? top : at, `node_modules/${name}`);
        this.#placed.set(place, wanted);
        open.push({ at: place, real: wanted });
      }
    }
    return [
      ...this.#files.filter(({ owner, path }) => owner === '' && ownerOf(`${path}/`) === ''),
      ...[...this.#placed].flatMap(([at, real]) => this.#at(at, real)),
    ];
  }

  #at(at: string, real: string): KnownFile[] {
    return (this.#content.get(real) ?? []).map(({ path, file }) => ({
      ...file,
      path: joinPath(at, path),
      owner: at,
      origin: { from: 'unlocked', name: at.replace(/^.*node_modules\//, ''), at: path },
    }));
  }

  /** What Node.js finds from where a package truly lies. */
  #find(from: string, name: string): string | undefined {
    for (let folder = from; ; folder = dirname(folder)) {
      const found = folder.endsWith('/node_modules') ? undefined : this.#real(join(folder, 'node_modules', name));
      if (found !== undefined || folder === dirname(folder)) return found;
    }
  }

  #real(path: string): string | undefined {
    if (!this.#reals.has(path)) this.#reals.set(path, realOrNone(path));
    return this.#reals.get(path);
  }
}

function realOrNone(path: string): string | undefined {
  try {
    return realpathSync(path);
  } catch {
    return undefined;
  }
}

/** Names that a package asks for, whether it has to have them or not. */
function dependenciesOf(folder: string): string[] {
  try {
    const manifest = asRecord(JSON.parse(readTextNow(join(folder, 'package.json'))));
    const stated = [manifest.dependencies, manifest.optionalDependencies, manifest.peerDependencies];
    return [...new Set(stated.flatMap((one) => Object.keys(asRecord(one))))].sort();
  } catch {
    // What a package without a manifest asks for is not known.
    return [];
  }
}
