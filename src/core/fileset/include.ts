/** Finds the files that a function takes from elsewhere in the project: what `include` in the sheet names. */
import { lstatSync } from 'node:fs';
import { join } from 'node:path';
import picomatch from 'picomatch';
import { baseOf, folderOf, isPattern, joinPath, partPattern } from '../base/paths';
import { printable } from '../base/text';
import { walkFolder, type WalkedItem } from '../disk/walk';
import type { Include, LeftOut } from './model';
import { makeSelection, OUTPUT_FOLDER } from './selection';

/** A file from elsewhere, with its path inside the artifact. */
export interface IncludedItem extends WalkedItem {
  /** Its path relative to the project. */
  readonly at: string;
  /** The pattern that names it. */
  readonly by: string;
}

export interface Included {
  readonly items: readonly IncludedItem[];
  readonly leftOut: readonly LeftOut[];
  /** What cannot be packed, each a sentence. */
  readonly refused: readonly string[];
}

interface IncludeRequest {
  /** Absolute path of the project folder. */
  readonly projectRoot: string;
  readonly include: readonly Include[];
  /** Patterns for what is not packed; held against paths inside the artifact. */
  readonly leaveOut: readonly string[];
  readonly links: 'follow' | 'keep';
}

/**
 * Looks at what is included without reading any file. Below the part of the path that is certain, files keep their
 * folders: `shared/**` with `tables/deep.csv` in it gives `tables/deep.csv`.
 */
export function surveyIncluded(request: IncludeRequest): Included {
  const items = new Map<string, IncludedItem>();
  const leftOut: LeftOut[] = [];
  const refused: string[] = [];
  for (const one of request.include) {
    const found = surveyOne(request, one, leftOut);
    refused.push(...found.refused);
    if (found.items.length === 0 && found.refused.length === 0)
      refused.push(`${printable(one.files)}: nothing there that \`include\` could take; correct the pattern`);
    for (const item of found.items) {
      const other = items.get(item.path);
      if (other !== undefined && other.at !== item.at) refused.push(claimedTwice(item.path, other.at, item.at));
      items.set(item.path, item);
    }
  }
  return { items: [...items.values()], leftOut, refused };
}

/** Two files for one place in the artifact. */
export function claimedTwice(path: string, a: string, b: string): string {
  return `${printable(path)}: both ${printable(a)} and ${printable(b)} would lie there; leave one out, or change \`inside\``;
}

function surveyOne(
  { projectRoot, leaveOut, links }: IncludeRequest,
  { files, inside }: Include,
  leftOut: LeftOut[],
): Pick<Included, 'items' | 'refused'> {
  const { root, matches } = rootOf(projectRoot, files);
  const selection = makeSelection(leaveOut, []);
  const isWanted = (path: string, name: string, isFolder: boolean): boolean => {
    if (joinPath(root, path) === OUTPUT_FOLDER) return false;
    const by = selection.leftOutBy(joinPath(inside, path), name, isFolder);
    if (by !== undefined && (isFolder || matches(path)))
      leftOut.push({ path: joinPath(inside, path), by, kind: isFolder ? 'folder' : 'file' });
    return by === undefined && (isFolder || matches(path));
  };
  const walk = walkFolder(join(projectRoot, root), root === '' ? '.' : root, {
    links,
    enter: (path, name) => isWanted(path, name, true),
    take: (path, name) => isWanted(path, name, false),
  });
  const items = walk.items.flatMap((item): IncludedItem[] =>
    item.kind === 'folder' || !matches(item.path)
      ? []
      : [{ ...item, path: joinPath(inside, item.path), at: joinPath(root, item.path), by: files }],
  );
  return { items, refused: walk.refused };
}

/** The folder that is certain, and what is wanted below it. */
function rootOf(projectRoot: string, files: string): { root: string; matches: (path: string) => boolean } {
  if (isPattern(files)) {
    const { certain, rest } = partPattern(files);
    const matches = picomatch(rest, { dot: true });
    return { root: certain, matches: (path) => matches(path) };
  }
  if (lstatSync(join(projectRoot, files), { throwIfNoEntry: false })?.isDirectory() === true)
    return { root: files, matches: () => true };
  const name = baseOf(files);
  return { root: folderOf(files), matches: (path) => path === name };
}
