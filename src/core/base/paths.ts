/** Paths inside artifacts and projects: always relative, separated by `/`, compared by their UTF-8 bytes. */
import { dirname } from 'node:path';

/**
 * Orders two paths by their UTF-8 bytes.
 * Strings compare by UTF-16 units, which differs only where surrogates meet U+E000 to U+FFFF.
 */
export function comparePaths(a: string, b: string): number {
  if (a === b) return 0;
  if (!/[\ud800-\uffff]/.test(a) && !/[\ud800-\uffff]/.test(b)) return a < b ? -1 : 1;
  return Buffer.compare(Buffer.from(a), Buffer.from(b));
}

/**
 * Follows `.` and `..` in a relative path; undefined when it leaves the folder it starts from.
 * `a/./b/../c` gives `a/c`; `../a` gives undefined.
 */
export function settlePath(path: string): string | undefined {
  const parts: string[] = [];
  for (const part of path.split('/')) {
    if (part === '' || part === '.') continue;
    if (part !== '..') parts.push(part);
    else if (parts.pop() === undefined) return undefined;
  }
  return parts.join('/');
}

/** Whether what a sheet names is a pattern for files, not the path of one. */
export function isPattern(path: string): boolean {
  return /[*?[{]/.test(path);
}

/** The folder that a pattern is certain of, and what stands behind it: `a/b/*.txt` gives `a/b` and `*.txt`. */
export function partPattern(pattern: string): { readonly certain: string; readonly rest: string } {
  const parts = pattern.split('/');
  const wild = parts.findIndex(isPattern);
  return { certain: parts.slice(0, wild).join('/'), rest: parts.slice(wild).join('/') };
}

/** The folder part of a path, '' for a path without one. */
export function folderOf(path: string): string {
  const slash = path.lastIndexOf('/');
  return slash < 0 ? '' : path.slice(0, slash);
}

/** The last part of a path. */
export function baseOf(path: string): string {
  return path.slice(path.lastIndexOf('/') + 1);
}

/** Joins two relative paths, either of which may be empty. */
export function joinPath(folder: string, name: string): string {
  return folder === '' ? name : name === '' ? folder : `${folder}/${name}`;
}

/** A path as seen from a folder that it is in. */
export function within(folder: string, path: string): string {
  return folder === '' ? path : path.slice(folder.length + 1);
}

/** What every path that is refused below holds, and hardly any other: one look tells that most need no closer one. */
const SUSPECT = /^$|^[A-Za-z]:|^\/|[\\\u0000-\u001f\u007f]|(?:^|\/)\.{0,2}(?:\/|$)/;

/** Why a path must not be unpacked, or undefined when it is safe. */
export function unsafePathReason(path: string): string | undefined {
  if (!SUSPECT.test(path)) return undefined;
  if (path === '') return 'an empty name';
  if (path.includes('\0')) return 'a NUL character';
  if (path.startsWith('/')) return 'an absolute path';
  if (/^[A-Za-z]:/.test(path)) return 'a drive letter';
  if (path.includes('\\')) return 'a backslash, which some systems take for a separator';
  if (path.split('/').includes('..')) return 'a path that leaves the folder (`..`)';

  if (/[\u0001-\u001f\u007f]/.test(path)) return 'a control character';
  if (path.split('/').some((part, i, all) => part === '.' || (part === '' && i < all.length - 1)))
    return 'an empty or `.` part';
  return undefined;
}

/** Whether a link at `path` that points to `target` stays inside the folder. */
export function linkStaysInside(path: string, target: string): boolean {
  if (target === '' || target.startsWith('/') || target.includes('\\') || /^[A-Za-z]:/.test(target)) return false;
  return settlePath(joinPath(folderOf(path), target)) !== undefined;
}

/** Systems follow so many links on the way to a file (path_resolution(7)). */
const MOST_LINKS = 40;

/**
 * Whether following a path leaves the folder that it starts from, as a system follows it: through links, each from where
 * it lies. `linkStaysInside` looks at one link by its text alone.
 * @param path relative; @param targetOf what a link points to, undefined for what is none
 */
export function leadsOut(path: string, targetOf: (path: string) => string | undefined): boolean {
  const left = path.split('/').reverse();
  let at: string[] = [];
  for (let links = 0; left.length > 0;) {
    const part = left.pop() ?? '';
    if (part === '' || part === '.') continue;
    if (part === '..') {
      if (at.pop() === undefined) return true;
      continue;
    }
    at.push(part);
    const target = targetOf(at.join('/'));
    if (target === undefined) continue;
    // One that leads in a circle leads nowhere.
    if (++links > MOST_LINKS) return false;
    if (target.startsWith('/')) return true;
    at = at.slice(0, -1);
    left.push(...target.split('/').reverse());
  }
  return false;
}

/** Whether an absolute path lies below a folder, by its text. */
export function isInside(folder: string, path: string): boolean {
  return path.startsWith(folder.endsWith('/') ? folder : `${folder}/`);
}

/** A folder and those above it: `a/b`, `a`, and '' for the project itself. */
export function upwards(folder: string): string[] {
  return folder === '' ? [''] : [folder, ...upwards(folderOf(folder))];
}

/** The folders that paths lie in, each once; not the root. */
export function foldersAbove(paths: Iterable<string>): Set<string> {
  const folders = new Set<string>();
  for (const path of paths)
    for (let folder = folderOf(path); folder !== '' && !folders.has(folder); folder = folderOf(folder))
      folders.add(folder);
  return folders;
}

/** An absolute folder and all above it, the nearest first. */
export function ancestors(folder: string): string[] {
  const above = dirname(folder);
  return above === folder ? [folder] : [folder, ...ancestors(above)];
}
