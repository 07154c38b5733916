/** A clock that says something else: a library that is loaded before the C library, and what it is told. */
import { rmSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { namesIn } from '../disk/names-in';
import { isRunning } from '../disk/running';
import type { Machine } from './machine';
import { askProgram } from './programs';

const FOLDERS = ['/usr/lib', '/usr/lib64', '/usr/local/lib'];
/** The one for programs with threads comes first. */
const FILES = ['libfaketimeMT.so.1', 'libfaketime.so.1'];
/** What such a library, and nobody else, reads. */
const ITS_OWN = /^(?:FAKETIME|NO_FAKE_STAT$|DONT_FAKE_MONOTONIC$)/;

/** Variables for a clock that begins at a time. @param at `2031-07-04 03:02:01`, UTC */
export function clockVariables(library: string, at: string): Record<string, string> {
  // Waiting goes by the monotonic clock, and file times are those of the files.
  const left = { FAKETIME_DONT_FAKE_MONOTONIC: '1', DONT_FAKE_MONOTONIC: '1', NO_FAKE_STAT: '1' };
  return { LD_PRELOAD: library, FAKETIME: `@${at}`, ...left };
}

/** A library that works with the runtime that runs us; undefined where there is none. */
export async function clockLibrary({ self }: Machine): Promise<string | undefined> {
  for (const library of candidates()) {
    const env = { ...clockVariables(library, '2031-07-04 03:02:01'), TZ: 'UTC' };
    const said = await askProgram(self.path, ['-p', 'new Date().getUTCFullYear()'], env);
    if (said?.trim() === '2031') return library;
  }
  return undefined;
}

function candidates(): string[] {
  const folders = FOLDERS.flatMap((folder) => [folder, ...namesIn(folder).map((name) => join(folder, name))]);
  return folders.flatMap((folder) => {
    const within = join(folder, 'faketime');
    const there = namesIn(within);
    return FILES.filter((file) => there.includes(file)).map((file) => join(within, file));
  });
}

/**
 * A clock that was set for us holds for what we start as well, whose environment is otherwise none of ours.
 * @returns the variables that set it; none where nobody did
 */
export function passedClock(variables: Readonly<Record<string, string | undefined>>): Record<string, string> {
  const library = variables.LD_PRELOAD;
  if (library === undefined || !FILES.some((file) => library.endsWith(`/${file}`))) return {};
  const own = Object.entries(variables).flatMap(([name, value]): [string, string][] =>
    value !== undefined && ITS_OWN.test(name) ? [[name, value]] : [],
  );
  return { LD_PRELOAD: library, ...Object.fromEntries(own) };
}

const SHARED_MEMORY = '/dev/shm';
/** Where such a library keeps the time for a process and what that starts. */
const KEPT = /^(?:sem\.)?faketime_(?:sem|shm)_(\d+)$/;

/**
 * Removes what the library left of processes that became other programs (exec), which it then no longer tidies up after.
 * @param sinceMs of what came later, milliseconds since 1970
 */
export function removeLeftClocks(sinceMs: number): void {
  for (const name of namesIn(SHARED_MEMORY)) {
    const [, pid] = KEPT.exec(name) ?? [];
    if (pid === undefined || isRunning(Number(pid))) continue;
    const path = join(SHARED_MEMORY, name);
    try {
      if (statSync(path).mtimeMs >= sinceMs) rmSync(path);
    } catch {
      // Gone meanwhile, or somebody else's.
    }
  }
}
