/** What trimming took out of packages: by which rule, what that saved, and the patterns that keep it. */
import { comparePaths, folderOf } from '../../base/paths';
import { groupBy } from '../../base/several';
import type { Waybill } from '../../waybill';

type TrimmedFile = Waybill['trimmed'][number];

/** What one rule took out of one package. */
export interface LeftOutGroup {
  readonly package: string;
  readonly by: string;
  /** Bytes, unpacked, that went. */
  readonly size: number;
  /** The largest first. */
  readonly files: readonly Pick<TrimmedFile, 'path' | 'size'>[];
  /** Patterns for `keep`; none for parts of files that are there, which are not kept by name. */
  readonly keep: readonly string[];
}

/** Rules that take parts out of files, and leave the files. */
const INSIDE: ReadonlySet<string> = new Set(['debug-sections', 'members-not-reached']);

/** @param matches which paths are asked about */
export function leftOut(waybill: Waybill, matches: (path: string) => boolean): LeftOutGroup[] {
  const asked = waybill.trimmed.filter(({ path }) => matches(path));
  return [...groupBy(asked, (one) => `${one.package}\0${one.by}`).values()]
    .map(groupOf)
    .sort((a, b) => b.size - a.size || comparePaths(a.package, b.package));
}

function groupOf(all: readonly [TrimmedFile, ...TrimmedFile[]]): LeftOutGroup {
  const files = all
    .map(({ path, size }) => ({ path, size }))
    .sort((a, b) => b.size - a.size || comparePaths(a.path, b.path));
  const { package: owner, by } = all[0];
  const size = files.reduce((sum, one) => sum + one.size, 0);
  return { package: owner, by, size, files, keep: INSIDE.has(by) ? [] : patternsFor(files.map(({ path }) => path)) };
}

/** Paths beyond which a pattern for their folder is easier to live with. */
const FEW = 4;

/** The paths of a few; else the folder that holds all, or each folder at the top that holds some. */
function patternsFor(paths: readonly string[]): string[] {
  if (paths.length <= FEW) return paths.map(literally).sort(comparePaths);
  const [first = '', ...others] = paths;
  let folder = folderOf(first);
  while (folder !== '' && !others.every((path) => path.startsWith(`${folder}/`))) folder = folderOf(folder);
  if (folder !== '') return [`${literally(folder)}/**`];
  const tops = paths.map((path) =>
    path.includes('/') ? `${literally(path.split('/')[0] ?? '')}/**` : literally(path),
  );
  return [...new Set(tops)].sort(comparePaths);
}

/** A path as a pattern that matches it alone. */
function literally(path: string): string {
  return path.replace(/[\\*?[\]{}()]/g, '\\$&');
}
