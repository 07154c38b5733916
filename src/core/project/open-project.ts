/** Opens a project: finds its sheet, and reads it anew only when its text has changed. */
import { readFileSync } from 'node:fs';
import { basename, dirname, join, relative, resolve } from 'node:path';
import { projectFolder } from '../disk/project-folder';
import { writeWhole } from '../disk/write';
import type { LoadedSheet, ReadFile, Sheet } from '../sheet';
import { stateFolder, type Project } from './targets';

export const SHEET_NAME = 'emballage.yaml';

interface SheetCache {
  readonly tool: string;
  readonly shown: string;
  readonly files: readonly ReadFile[];
  readonly sheet: Sheet;
}

/**
 * @param sheetPath the sheet, relative to `from` or absolute
 * @param from absolute path of the folder the command runs in, for names in messages
 * @param tool name and version of the tool
 */
export async function openProject(sheetPath: string, from: string, tool: string): Promise<Project> {
  const path = resolve(from, sheetPath);
  const root = dirname(path);
  const cachePath = join(stateFolder({ root }), `${basename(path)}.json`);
  const shownRoot = relative(from, root);
  const cached = readCache(cachePath, root, tool, shownRoot);
  if (cached !== undefined) return { root, sheet: cached.sheet, files: cached.files.map((file) => file.path) };
  const { loadSheet } = await import('../sheet');
  const loaded = loadSheet(projectFolder(root), basename(path), (file) => join(shownRoot, file));
  writeCache(cachePath, { tool, shown: shownRoot, ...loaded });
  return { root, sheet: loaded.sheet, files: loaded.files.map((file) => file.path) };
}

/** The sheet as it was read before, if the text of every file that it was read from is the same. */
function readCache(path: string, root: string, tool: string, shown: string): SheetCache | undefined {
  try {
    const cache = JSON.parse(readFileSync(path, 'utf8')) as SheetCache;
    if (cache.tool !== tool || cache.shown !== shown) return undefined;
    const same = cache.files.every((file) => readFileSync(join(root, file.path), 'utf8') === file.text);
    return same ? cache : undefined;
  } catch {
    // Only a memory of work done; without it the sheet is read.
    return undefined;
  }
}

function writeCache(path: string, cache: SheetCache & LoadedSheet): void {
  try {
    writeWhole(path, JSON.stringify(cache), path);
  } catch {
    // A project on a read-only disk can still be checked.
  }
}
