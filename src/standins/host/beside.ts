/** Lays data beside an artifact where the function finds it: readable, and nobody's to write. */
import { chmodSync, copyFileSync, mkdirSync } from 'node:fs';
import { basename, join } from 'node:path';

/** Name of the folder, in images at the top of the root. */
const FOLDER = 'beside';

export interface MountedData {
  /** The setting that holds its path. */
  readonly setting: string;
  readonly name: string;
  /** Absolute path. */
  readonly path: string;
}

/**
 * @param base absolute path of the folder that it is laid in
 * @param seen the same as the function sees it
 * @returns settings with paths
 */
export function layBeside(data: readonly MountedData[], base: string, seen = base): Record<string, string> {
  const settings: Record<string, string> = {};
  if (data.length === 0) return settings;
  mkdirSync(join(base, FOLDER), { mode: 0o755 });
  for (const { setting, name, path } of data) {
    // A folder of its own, so that two files of one name do not meet.
    mkdirSync(join(base, FOLDER, name), { mode: 0o755 });
    const to = join(FOLDER, name, basename(path));
    copyFileSync(path, join(base, to));
    chmodSync(join(base, to), 0o444);
    settings[setting] = join(seen, to);
  }
  return settings;
}
