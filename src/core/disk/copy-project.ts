/** Copies the parts of a project that a build reads into a fresh folder, in another order, with other times and modes. */
import {
  chmodSync,
  copyFileSync,
  lstatSync,
  mkdirSync,
  readdirSync,
  readlinkSync,
  symlinkSync,
  utimesSync,
  writeFileSync,
} from 'node:fs';
import { dirname, join } from 'node:path';
import { joinPath } from '../base/paths';

export interface CopyPlan {
  /** Paths of files and links relative to the project. */
  readonly files: readonly string[];
  /** Folders that are there even when nothing is in them. */
  readonly folders: readonly string[];
  /** Files that are there with nothing in them: what they hold is known by its digest. */
  readonly emptyFiles: readonly string[];
  readonly order: 'forward' | 'backward';
  readonly mtimeSeconds?: number;
  readonly modes?: 'owner-only' | 'everybody';
}

/**
 * Copies what a plan names from one folder to another, with modes and times.
 * @param from and `to` absolute paths
 * @throws the system’s error
 */
export function copyProject(from: string, to: string, plan: CopyPlan): void {
  mkdirSync(to, { recursive: true });
  const files = plan.order === 'forward' ? plan.files : [...plan.files].reverse();
  for (const folder of plan.folders) mkdirSync(join(to, folder), { recursive: true });
  for (const file of plan.emptyFiles) {
    mkdirSync(dirname(join(to, file)), { recursive: true });
    writeFileSync(join(to, file), '');
  }
  for (const file of files) copyOne(join(from, file), join(to, file), plan);
}

/** Files and links below a folder, and its folders, relative to the project; nothing of what `skip` names. */
export function listTree(
  root: string,
  folder: string,
  skip: (path: string, name: string) => boolean,
): { files: string[]; folders: string[] } {
  const files: string[] = [];
  const folders = [folder];
  for (const entry of readdirSync(join(root, folder), { withFileTypes: true })) {
    const path = joinPath(folder, entry.name);
    if (skip(path, entry.name)) continue;
    if (entry.isDirectory()) {
      const below = listTree(root, path, skip);
      files.push(...below.files);
      folders.push(...below.folders);
    } else if (entry.isFile() || entry.isSymbolicLink()) files.push(path);
  }
  return { files, folders };
}

function copyOne(from: string, to: string, plan: CopyPlan): void {
  mkdirSync(dirname(to), { recursive: true });
  const stat = lstatSync(from);
  if (stat.isSymbolicLink()) {
    symlinkSync(readlinkSync(from), to);
    return;
  }
  copyFileSync(from, to);
  const owner = (stat.mode & 0o700) | 0o600;
  if (plan.modes === 'owner-only') chmodSync(to, owner);
  if (plan.modes === 'everybody') chmodSync(to, owner | (owner >> 3) | (owner >> 6) | 0o066);
  if (plan.mtimeSeconds !== undefined) utimesSync(to, plan.mtimeSeconds, plan.mtimeSeconds);
}
