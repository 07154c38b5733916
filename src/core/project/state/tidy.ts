/**
 * Keeps what is remembered within its bounds: the least recently used goes first. Removes what stopped runs left, what
 * earlier versions of the tool made, and what nothing knows any more.
 */
import { lstatSync, rmdirSync, rmSync, statSync, utimesSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { namesIn } from '../../disk/names-in';
import { UNVERSIONED } from '../../disk/unversioned';
import { isAbandoned, isTemporary, removeAbandoned, temporaryBeside, writeWhole } from '../../disk/write';
import { isCodeFolder, KINDS, LOCKS, SCRATCH, type StateFolder, type StateKind } from './state';

/** Everything is looked through once in this time. */
const EVERY_MS = 24 * 3600 * 1000;
/** What other runs may be at this moment is left alone for so long. */
const SETTLED_MS = 24 * 3600 * 1000;
/** When nobody is about to put something into a folder any more. */
const QUIET_MS = 60_000;
/** Versions of the tool whose memory stays, in case a project is built with several. */
const CODES_KEPT = 3;
/** When everything was last looked through: the time of this file. */
const MARK = 'tidied';

/**
 * Looks through the state folder and the user's folder. The caller holds the build lock.
 * @param own the kinds that languages add
 */
export function tidyState(state: StateFolder, own: ReadonlySet<StateKind>): void {
  const kinds = [...Object.values(KINDS), ...own];
  for (const [place, of] of [
    [state.path, 'project'],
    [state.caches, 'user'],
  ] as const)
    if (isDue(join(place, MARK), state.now())) {
      const here = kinds.filter((kind) => kind.of === of);
      for (const kind of here) tidyKind(state, kind);
      removeOldCode(place, state);
      removeAbandoned(place);
      if (of === 'project') removeUnknown(place, here);
      markDone(join(place, MARK), state.now());
    }
}

/** Removes the least recently used things of a kind beyond its bounds, and what interrupted runs left of it. */
export function tidyKind(state: StateFolder, kind: StateKind, clock: FileClock = fileClock): void {
  const folder = state.folder(kind);
  const mayBeUsed = usedByOthers(state, kind, clock);
  const { things, leftovers } = thingsIn(folder, kind.most.bytes !== undefined);
  for (const { names, usedMs } of leftovers)
    if (!mayBeUsed(usedMs)) for (const name of names) remove(join(folder, name));
  let bytes = 0;
  [...things]
    .sort((a, b) => b.usedMs - a.usedMs)
    .forEach((thing, i) => {
      bytes += thing.bytes;
      const isWithin = i < kind.most.things && (i === 0 || bytes <= (kind.most.bytes ?? Infinity));
      if (isWithin || mayBeUsed(thing.usedMs)) return;
      for (const name of thing.names) remove(join(folder, name));
    });
}

/**
 * Whether others may be at work with what was last used then: in the user's folder they do not wait for each other. How
 * long ago that was goes by the clock that file times are from, since ours may say something else.
 */
export function usedByOthers(
  state: StateFolder,
  kind: StateKind,
  clock: FileClock = fileClock,
): (usedMs: number) => boolean {
  if (kind.of !== 'user') return () => false;
  let now: number | undefined;
  return (usedMs) => {
    now ??= clock(state.folder(kind)) ?? state.now();
    return now - usedMs < SETTLED_MS;
  };
}

/** What time it is to the file system of a folder, in milliseconds since 1970; undefined where nothing can be written. */
export type FileClock = (folder: string) => number | undefined;

function fileClock(folder: string): number | undefined {
  const path = temporaryBeside(join(folder, 'clock'));
  try {
    writeFileSync(path, '');
    return statSync(path).mtimeMs;
  } catch {
    return undefined;
  } finally {
    rmSync(path, { force: true });
  }
}

export interface Thing {
  /** Of its files and folders. */
  readonly names: readonly string[];
  readonly bytes: number;
  readonly usedMs: number;
}

/** What lies in the folder of a kind, and what interrupted runs left there. @param isSized whether what is below folders counts */
export function thingsIn(
  folder: string,
  isSized: boolean,
): { readonly things: readonly Thing[]; readonly leftovers: readonly Thing[] } {
  const things = new Map<string, Thing>();
  const leftovers: Thing[] = [];
  for (const name of namesIn(folder)) {
    const look = lookAt(join(folder, name), isSized);
    if (look === undefined) continue;
    if (isTemporary(name)) {
      // Nobody uses what is left of a process that has ended.
      leftovers.push({ names: [name], ...look, ...(isAbandoned(name) && { usedMs: 0 }) });
      continue;
    }
    // A file and the note on it are one thing.
    const key = name.replace(/\.(?:json|partial)$/, '');
    const { names, bytes, usedMs } = things.get(key) ?? { names: [], bytes: 0, usedMs: 0 };
    things.set(key, {
      names: [...names, name],
      bytes: bytes + look.bytes,
      usedMs: Math.max(usedMs, look.usedMs),
    });
  }
  return { things: [...things.values()], leftovers };
}

/** Removes the folders of runs that were stopped; where no run has one, theirs too. */
export function removeScratch(state: StateFolder): void {
  const folder = join(state.path, SCRATCH);
  for (const name of namesIn(folder)) {
    const path = join(folder, name);
    const usedMs = lookAt(path, false)?.usedMs ?? 0;
    if (state.isStopped(name) || state.now() - usedMs > 7 * SETTLED_MS) remove(path);
  }
  try {
    // Another may be about to put its own there.
    if (state.now() - lstatSync(folder).mtimeMs > QUIET_MS) rmdirSync(folder);
  } catch {
    // Others are at work.
  }
}

/** What earlier versions of the tool kept for themselves, but for the newest few. */
function removeOldCode(place: string, state: StateFolder): void {
  const others = namesIn(place)
    .filter((name) => isCodeFolder(name) && name !== state.codeFolder)
    .map((name) => ({
      path: join(place, name),
      seenMs: lstatSync(join(place, name), { throwIfNoEntry: false })?.mtimeMs ?? 0,
    }))
    .sort((a, b) => b.seenMs - a.seenMs);
  for (const { path, seenMs } of others.slice(CODES_KEPT - 1)) if (state.now() - seenMs > SETTLED_MS) remove(path);
  // So that other versions see that this one is in use.
  touch(join(place, state.codeFolder), state.now());
}

/** What no version that lays out the folder so has put there: earlier ones had other names. */
function removeUnknown(place: string, kinds: readonly StateKind[]): void {
  const known = new Set([...kinds.map(({ name }) => name), ...LOCKS, SCRATCH, MARK, UNVERSIONED]);
  for (const name of namesIn(place)) if (!known.has(name) && !isCodeFolder(name)) remove(join(place, name));
}

function isDue(mark: string, now: number): boolean {
  const stat = statSync(mark, { throwIfNoEntry: false });
  return stat === undefined || Math.abs(now - stat.mtimeMs) > EVERY_MS;
}

function markDone(mark: string, now: number): void {
  try {
    writeWhole(mark, '', mark);
    touch(mark, now);
  } catch {
    // It is looked through again the next time.
  }
}

function touch(path: string, now: number): void {
  try {
    utimesSync(path, now / 1000, now / 1000);
  } catch {
    // Not there, or not ours.
  }
}

/** Bytes of it with all below, where that is asked for, and when it was last used: read, as far as the system notes it, or written. */
export function lookAt(
  path: string,
  isSized: boolean,
): { readonly bytes: number; readonly usedMs: number } | undefined {
  const stat = lstatSync(path, { throwIfNoEntry: false });
  if (stat === undefined) return undefined;
  const usedMs = Math.max(stat.atimeMs, stat.mtimeMs, stat.ctimeMs);
  if (!stat.isDirectory() || !isSized) return { bytes: stat.size, usedMs };
  const below = namesIn(path).map((name) => lookAt(join(path, name), true)?.bytes ?? 0);
  return { bytes: below.reduce((sum, bytes) => sum + bytes, 0), usedMs };
}

/** What cannot be removed is tried again the next time. */
export function remove(path: string): void {
  try {
    rmSync(path, { recursive: true, force: true });
  } catch {
    // In use, or not ours.
  }
}
