/** Opens a project: finds its sheet, and reads it anew only when its text has changed. */
import { existsSync, readFileSync } from 'node:fs';
import { basename, dirname, join, relative, resolve } from 'node:path';
import { projectFolder } from '../disk/project-folder';
import { keepUnversioned } from '../disk/unversioned';
import {
  loadSheet,
  type FormId,
  type FunctionSpec,
  type Known,
  type LoadedSheet,
  type ReadFile,
  type Sheet,
} from '../sheet';
import { KINDS, SCRATCH, StateFolder } from './state/state';
import { removeScratch } from './state/tidy';
import type { Project } from './targets';

export const SHEET_NAME = 'emballage.yaml';

interface SheetCache {
  readonly shown: string;
  readonly files: readonly ReadFile[];
  readonly sheet: Omit<Sheet, 'functions'>;
  /** With the name of its form in the place of what is known of it. */
  readonly functions: readonly (Omit<FunctionSpec, 'form'> & { readonly form: FormId })[];
}

export interface OpenRequest {
  /** The sheet, relative to `from` or absolute. */
  readonly sheetPath: string;
  /** Absolute path of the folder the command runs in, for names in messages. */
  readonly from: string;
  readonly languages: Known;
  /** What tells this version of the tool from another. */
  readonly code: string;
  /** Absolute path of the user's folder for caches. */
  readonly caches: string;
  /** Milliseconds since 1970. */
  readonly now: () => number;
}

/** The project of a sheet. @throws EmballageError with every mistake of sheet and destinations, each with its place */
export async function openProject(request: OpenRequest): Promise<Project> {
  const { from, languages } = request;
  const path = resolve(from, request.sheetPath);
  const root = dirname(path);
  const name = basename(path);
  const state = new StateFolder({ root, ...request });
  const shown = relative(from, root);
  if (existsSync(join(state.path, SCRATCH))) removeScratch(state);
  const cached = readCache(state, name, { root, shown, languages });
  const opened = { root, state, languages };
  if (cached !== undefined) return { ...opened, sheet: cached.sheet, files: cached.files.map((file) => file.path) };
  const loaded = await loadSheet(projectFolder(root), name, (file) => join(shown, file), languages);
  writeCache(state, name, shown, loaded);
  keepUnversioned(state.path);
  return { ...opened, sheet: loaded.sheet, files: loaded.files.map((file) => file.path) };
}

/** The sheet as it was read before, if the text of every file that it was read from is the same. */
function readCache(
  state: StateFolder,
  name: string,
  { root, shown, languages }: { readonly root: string; readonly shown: string; readonly languages: Known },
): LoadedSheet | undefined {
  const cache = state.recall(KINDS.sheets, `${name}.json`) as SheetCache | undefined;
  if (cache?.shown !== shown) return undefined;
  try {
    const isSame = cache.files.every((file) => readFileSync(join(root, file.path), 'utf8') === file.text);
    return isSame ? { files: cache.files, sheet: { ...cache.sheet, functions: revived(cache, languages) } } : undefined;
  } catch {
    // Only a memory of work done; without it the sheet is read.
    return undefined;
  }
}

/** @throws Error for a form that is no longer there */
function revived({ functions }: SheetCache, { forms }: Known): FunctionSpec[] {
  return functions.map((spec) => {
    const form = forms.find(({ id }) => id === spec.form);
    if (form === undefined) throw new Error(`no form ${spec.form}`);
    return { ...spec, form };
  });
}

function writeCache(state: StateFolder, name: string, shown: string, { files, sheet }: LoadedSheet): void {
  const { functions, ...rest } = sheet;
  const named = functions.map((spec) => ({ ...spec, form: spec.form.id }));
  const cache: SheetCache = { shown, files, sheet: rest, functions: named };
  try {
    state.remember(KINDS.sheets, `${name}.json`, cache);
  } catch {
    // A project on a read-only disk can still be checked.
  }
}
