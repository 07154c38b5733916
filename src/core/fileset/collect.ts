/** Collects a function's source folder into a file set. */
import { expectThings } from '../base/heap';
import { join } from 'node:path';
import { EmballageError } from '../base/errors';
import { comparePaths, joinPath, unsafePathReason } from '../base/paths';
import { count, printable } from '../base/text';
import { looksLikeArtifact } from '../disk/earlier-artifact';
import { walkFolder, type Walk, type WalkedItem } from '../disk/walk';
import {
  FILE_MODE,
  LINK_MODE,
  PROGRAM_MODE,
  type FileSet,
  type Include,
  type LeftOut,
  type PackedEntry,
  type Reason,
} from './model';
import { claimedTwice, surveyIncluded, type IncludedItem } from './include';
import { makeSelection, OUTPUT_FOLDER, type Selection } from './selection';

export interface CollectRequest {
  /** Absolute path of the project folder. */
  readonly projectRoot: string;
  /** Source folder relative to the project. */
  readonly source: string;
  /** Entry file relative to the source folder. */
  readonly entryFile: string;
  readonly leaveOut: readonly string[];
  readonly keep: readonly string[];
  /** Files from elsewhere in the project. */
  readonly include: readonly Include[];
  readonly links: 'follow' | 'keep';
  readonly emptyFolders: boolean;
  /** Folders of this name are left out, whatever the sheet keeps: packages, where others take their place; what compilers write. */
  readonly skip: { readonly folder: string; readonly by: LeftOut['by'] } | undefined;
}

/** Everything that stands in a source folder and is not left out by name: what has to be the same for nothing to have changed. */
export interface Survey extends Walk {
  readonly items: readonly (WalkedItem | IncludedItem)[];
  readonly leftOut: readonly LeftOut[];
}

/** Looks at a source folder without reading any file. */
export function surveySource(request: CollectRequest): Survey {
  const selection = makeSelection(request.leaveOut, request.keep);
  const leftOut: LeftOut[] = [];
  const root = join(request.projectRoot, request.source);
  const skips = (name: string, isFolder: boolean): boolean => isFolder && name === request.skip?.folder;
  const leftOutBy = (path: string, name: string, isFolder: boolean): LeftOut['by'] | undefined => {
    if (isProjectOutput(request, path)) return 'output-folder';
    return skips(name, isFolder) ? request.skip?.by : selection.leftOutBy(path, name, isFolder);
  };
  const isWanted = (path: string, name: string, isFolder: boolean): boolean => {
    const by = leftOutBy(path, name, isFolder);
    if (by === undefined) return true;
    if (by === 'login-file' || by === 'installed' || skips(name, isFolder))
      return leftOut.push({ path, by, kind: isFolder ? 'folder' : 'file' }) < 0;
    if (!isFolder) return selection.keptBy(path) !== undefined || !leftOut.push({ path, by, kind: 'file' });
    if (!selection.searchesAll || isProjectOutput(request, path)) leftOut.push({ path, by, kind: 'folder' });
    return selection.searchesAll && !isProjectOutput(request, path);
  };
  const walk = walkFolder(root, request.source === '' ? '.' : request.source, {
    links: request.links,
    enter: (path, name) => isWanted(path, name, true),
    take: (path, name) => isWanted(path, name, false),
  });
  expectThings(walk.items.length);
  const survey = selection.searchesAll
    ? { ...walk, ...dropBelowLeftOut(walk.items, leftOut, selection) }
    : { ...walk, leftOut };
  return request.include.length === 0 ? survey : withIncluded(request, survey);
}

/** Stamps of the source folder alone no longer tell, as where links were met: the folders from elsewhere are walked each time. */
function withIncluded(request: CollectRequest, survey: Survey): Survey {
  const included = surveyIncluded(request);
  const own = new Set(survey.items.map(({ path }) => path));
  const twice = included.items
    .filter(({ path }) => own.has(path))
    .map(({ path, at }) => claimedTwice(path, joinPath(request.source, path), at));
  return {
    ...survey,
    items: [...survey.items, ...included.items.filter(({ path }) => !own.has(path))],
    leftOut: [...survey.leftOut, ...included.leftOut],
    refused: [...survey.refused, ...included.refused, ...twice],
    hasLinks: true,
  };
}

/**
 * Turns a survey into the file set.
 * @throws EmballageError SOURCE_UNPACKABLE naming everything that cannot be packed
 */
export function collect(request: CollectRequest, survey: Survey): FileSet {
  const selection = makeSelection([], request.keep);
  const leftOut = [...survey.leftOut];
  const refused = [...survey.refused];
  const entries: PackedEntry[] = [];
  for (const item of survey.items) {
    const unsafe = unsafePathReason(item.path);
    if (unsafe !== undefined) refused.push(`${printable(item.path)}: its name holds ${unsafe}; rename it`);
    else if (item.kind === 'folder' && !(request.emptyFolders && item.empty === true)) continue;
    else if (item.kind === 'file' && selection.keptBy(item.path) === undefined && looksLikeArtifact(item.source))
      leftOut.push({ path: item.path, by: 'earlier-artifact', kind: 'file' });
    else entries.push(packedEntry(request, item, selection));
  }
  if (refused.length > 0) throw unpackable(request, refused);
  if (!entries.some((entry) => entry.kind === 'file')) throw nothingToPack(request);
  return { entries: sortEntries(entries), leftOut };
}

/** Orders entries by the bytes of their archive names, in which a folder ends in `/`. */
export function sortEntries(entries: PackedEntry[]): PackedEntry[] {
  const name = (entry: PackedEntry): string => (entry.kind === 'folder' ? `${entry.path}/` : entry.path);
  return entries.sort((a, b) => comparePaths(name(a), name(b)));
}

/** The project's own output folder is left out wherever the source folder holds it. */
function isProjectOutput(request: CollectRequest, path: string): boolean {
  return joinPath(request.source, path) === OUTPUT_FOLDER;
}

/** With `keep` patterns every folder is searched, and what lies in one that is left out stays only when it is kept. */
function dropBelowLeftOut(
  items: readonly WalkedItem[],
  leftOut: LeftOut[],
  selection: Selection,
): Pick<Survey, 'items' | 'leftOut'> {
  const dropped = new Map<string, LeftOut['by']>();
  const above = (path: string): LeftOut['by'] | undefined =>
    dropped.get(path.slice(0, Math.max(0, path.lastIndexOf('/'))));
  const taken = items.filter((item) => {
    const name = item.path.slice(item.path.lastIndexOf('/') + 1);
    const by = above(item.path) ?? (item.kind === 'folder' ? selection.leftOutBy(item.path, name, true) : undefined);
    if (by === undefined) return true;
    if (item.kind === 'folder') dropped.set(item.path, by);
    if (item.kind !== 'folder' && selection.keptBy(item.path) !== undefined) return true;
    if (above(item.path) === undefined)
      leftOut.push({ path: item.path, by, kind: item.kind === 'folder' ? 'folder' : 'file' });
    return false;
  });
  return { items: taken, leftOut };
}

function packedEntry(request: CollectRequest, item: WalkedItem | IncludedItem, selection: Selection): PackedEntry {
  const { path } = item;
  const origin = { from: 'source', at: 'at' in item ? item.at : joinPath(request.source, path) } as const;
  const reason = reasonFor(request, item, selection);
  if (item.kind === 'folder') return { path, origin, reason, kind: 'folder', mode: PROGRAM_MODE };
  if (item.kind === 'link') return { path, origin, reason, kind: 'link', mode: LINK_MODE, target: item.target ?? '' };
  const mode = (item.mode & 0o100) !== 0 ? PROGRAM_MODE : FILE_MODE;
  return { path, origin, reason, kind: 'file', mode, source: item.source, size: item.stamp.size, stamp: item.stamp };
}

function reasonFor(request: CollectRequest, item: WalkedItem | IncludedItem, selection: Selection): Reason {
  if (item.path === request.entryFile) return { why: 'entry' };
  if ('at' in item) return { why: 'kept', by: `include ${item.by}` };
  if (item.throughLink !== undefined) return { why: 'through-link', by: item.throughLink };
  const pattern = selection.keptBy(item.path);
  return pattern === undefined ? { why: 'in-source' } : { why: 'kept', by: pattern };
}

function unpackable(request: CollectRequest, refused: readonly string[]): EmballageError {
  return new EmballageError('SOURCE_UNPACKABLE', {
    doing: 'collecting the source',
    where: request.source === '' ? '.' : request.source,
    expected: 'files, folders and links that an archive can hold',
    found: `${count(refused.length, 'thing')} that cannot be packed`,
    mend: 'mend what is listed, or name it under `leave-out` in the sheet',
    details: refused,
  });
}

function nothingToPack(request: CollectRequest): EmballageError {
  return new EmballageError('SOURCE_UNPACKABLE', {
    doing: 'collecting the source',
    where: request.source === '' ? '.' : request.source,
    expected: 'at least one file',
    found: 'none that is not left out',
    mend: 'correct `source`, or take back what `leave-out` says',
  });
}
