/**
 * What an artifact's bytes depend on beside the function's source folder, and how that stands now. It is said once, and used
 * by the look that tells whether anything has changed, by the keys of what is kept, and by whoever builds elsewhere.
 */
import { readNow } from '../disk/to-read';
import { statSync } from 'node:fs';
import { join } from 'node:path';
import { contentDigest } from '../disk/digest';
import { isRacy, sameStamp, stampOf, type Stamp } from '../disk/stamp';
import type { WalkedItem } from '../disk/walk';
import type { Project } from './targets';

export interface Inputs {
  /** Values of sheet, destination, lock and machine. */
  readonly values: Readonly<Record<string, unknown>>;
  /** Files of the project, relative to it, whose content counts; one that is not there counts as such. */
  readonly files: readonly string[];
  /** Folders of the project, relative to it, of which what lies below counts. */
  readonly folders: readonly InputFolder[];
  /** Folders of the project, relative to it, of which the names in them count; which, the values say. */
  readonly listed: readonly string[];
}

export interface InputFolder {
  readonly folder: string;
  /** What of it counts. */
  readonly items: readonly WalkedItem[];
  /** Whether links were met, so that what lies elsewhere counts too and looks tell nothing. */
  readonly hasLinks: boolean;
}

export const NO_INPUTS: Inputs = { values: {}, files: [], folders: [], listed: [] };

/** What several parties say together. */
export function joinInputs(...all: readonly Inputs[]): Inputs {
  return {
    values: Object.assign({}, ...all.map(({ values }) => values)) as Inputs['values'],
    files: [...new Set(all.flatMap(({ files }) => files))].sort(),
    folders: all.flatMap(({ folders }) => folders),
    listed: [...new Set(all.flatMap(({ listed }) => listed))].sort(),
  };
}

/** Changes whenever one of the inputs does, on every machine alike. */
export function inputsText({ root }: Pick<Project, 'root'>, { values, files, folders }: Inputs): string {
  const contents = files.map((path) => [path, digestOf(join(root, path))]);
  const below = folders.map(({ folder, items }) => [
    folder,
    items.map(({ path, kind, mode, source }) => [path, kind, mode & 0o100, kind === 'file' ? digestOf(source) : '']),
  ]);
  return JSON.stringify({ values, contents, below });
}

/** A file or folder as it looked; null where nothing was there. */
export type Watched = readonly [path: string, stamp: Stamp | null];

/**
 * What all of it looks like, so that the next look can tell without reading. A stamp that cannot be trusted is told as one
 * that nothing is equal to.
 * @param lookedAtMs when the look began, milliseconds since 1970
 */
export function watchInputs(
  { root }: Pick<Project, 'root'>,
  { files, folders, listed }: Inputs,
  lookedAtMs: number,
): Watched[] {
  const below = folders.flatMap(({ folder, items }) => [
    folder,
    ...items.filter(({ kind }) => kind !== 'link').map(({ path }) => `${folder}/${path}`),
  ]);
  const linked = new Set(folders.flatMap(({ folder, hasLinks }) => (hasLinks ? [folder] : [])));
  return [...new Set([...files, ...listed, ...below])].map((path) => {
    const stamp = stampAt(join(root, path));
    if (stamp === null || (!isRacy(stamp, lookedAtMs) && !linked.has(path))) return [path, stamp];
    return [path, { ...stamp, mtimeMs: -1 }];
  });
}

/** Whether all of it looks as it did. */
export function standsAsWatched({ root }: Pick<Project, 'root'>, watched: readonly Watched[]): boolean {
  return watched.every(([path, before]) => {
    const now = stampAt(`${root}/${path}`);
    return now === null || before === null ? now === before : sameStamp(now, before);
  });
}

function stampAt(path: string): Stamp | null {
  try {
    const stat = statSync(path, { throwIfNoEntry: false });
    return stat === undefined ? null : stampOf(stat);
  } catch {
    // A file where a folder should be.
    return null;
  }
}

function digestOf(path: string): string {
  try {
    return contentDigest(readNow(path));
  } catch {
    return '';
  }
}
