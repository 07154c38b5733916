/** Folders that are needed only while we run. What a run that was killed left behind is removed by a later one. */
import { chmodSync, lstatSync, mkdtempSync, readdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { namesIn } from './names-in';
import { isRunning, machineMark } from './running';

/** `emballage-`, what for, whose process on which machine, and six characters that tell them apart. */
const NAME = /^emballage-[a-z]+-(\d+)-([0-9a-f]{8})-.{6}$/;

/** Where leftovers were looked for already. */
const swept = new Set<string>();

/**
 * Makes a folder, which the caller removes; and removes those of processes that ended without that.
 * @param name what it is for, in letters
 * @param base absolute path; the system's folder for such things otherwise
 */
export function makeScratch(name: string, base = tmpdir()): string {
  if (!swept.has(base)) sweep(base);
  swept.add(base);
  return mkdtempSync(join(base, `emballage-${name}-${String(process.pid)}-${machineMark()}-`));
}

/** Removes a folder with all that is in it, also where that was made read-only. */
export function removeScratch(folder: string): void {
  try {
    rmSync(folder, { recursive: true, force: true });
  } catch {
    openFolders(folder);
    rmSync(folder, { recursive: true, force: true });
  }
}

function openFolders(folder: string): void {
  chmodSync(folder, 0o700);
  for (const entry of readdirSync(folder, { withFileTypes: true }))
    if (entry.isDirectory()) openFolders(join(folder, entry.name));
}

function sweep(base: string): void {
  for (const name of namesIn(base)) {
    const [, pid, machine] = NAME.exec(name) ?? [];
    if (machine !== machineMark() || isRunning(Number(pid))) continue;
    const folder = join(base, name);
    try {
      if (lstatSync(folder).uid === process.getuid?.()) removeScratch(folder);
    } catch {
      // Somebody else was faster, or it is not ours to remove.
    }
  }
}
