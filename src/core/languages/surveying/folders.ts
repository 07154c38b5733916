/** Folders of a repository: what holds code and what holds tests, and which is nearest to a file. */
import { baseOf, folderOf, joinPath, upwards } from '../../base/paths';
import type { SurveyedKey, SurveyedTree } from './model';

/** Folders that hold the code of what lies above them. */
const CODE = /^(?:src|source|sources|lib|app|code|main)$/;
const ASIDE =
  /(?:^|\/)(?:tests?|__tests__|__mocks__|testing|spec|specs|e2e|fixtures?|examples?|samples?|demos?|docs?|bench(?:es|marks?)?|scripts?|tools?|hack|third_party|vendor|storybook|migrations)(?:\/|$)/i;

/** Whether a file is beside the point: of tests, examples, tools. */
export function isAside(path: string): boolean {
  return ASIDE.test(folderOf(path));
}

/** The nearest folder at or above a file's that is wanted; undefined where none is. */
export function nearest(file: string, isWanted: (folder: string) => boolean): string | undefined {
  return upwards(folderOf(file)).find(isWanted);
}

/** The folder of a file, out of folders that only say that code is in them. @param top not above this */
export function ownFolder(file: string, top: string): string {
  let folder = folderOf(file);
  while (folder !== top && CODE.test(baseOf(folder))) folder = folderOf(folder);
  return folder;
}

/** The deepest folder that both are in. */
export function commonFolder(a: string, b: string): string {
  const parents = new Set(upwards(a));
  return upwards(b).find((folder) => parents.has(folder)) ?? '';
}

/** The first of some names that lies in a folder; its path. */
export function firstIn(tree: SurveyedTree, folder: string, names: readonly string[]): string | undefined {
  return names.map((name) => joinPath(folder, name)).find((path) => tree.has(path));
}

/** Folders whose names say nothing of a function in them. */
const PLAIN =
  /^(?:src|source|sources|lib|app|code|main|handlers?|functions?|cmd|bin|pkg|packages|services|internal|python|node|java)$/;

/** What a function may be called: by its file where the source has several, else by the nearest folder with a name of its own. */
export function nameFor(source: string, file: string, hasSeveral: boolean, root: string): string {
  const stem = stemOf(file);
  const inside = upwards(folderOf(file)).filter((folder) => folder !== '');
  if (hasSeveral && !/^(?:index|main|handlers?|app|function|mod|lib)$/i.test(stem)) return stem;
  const folders = [...inside.map((folder) => joinPath(source, folder)), ...upwards(source)].map(baseOf);
  const named = folders.find((name) => name !== '' && !PLAIN.test(name));
  return named ?? baseOf(root);
}

/** Name of a file without its ending. */
export function stemOf(path: string): string {
  return baseOf(path).replace(/\.[^.]*$/, '');
}

/** In a folder that holds more than one function, only what the entry reaches is wanted. */
export function tracedWhere(source: string, hasSeveral: boolean): SurveyedKey[] {
  if (hasSeveral)
    return [
      { key: 'trim', value: { traced: 'strict' }, why: 'the folder has several functions: only what this one imports' },
    ];
  return source === '' ? [{ key: 'trim', value: 'traced', why: 'the folder is the whole repository' }] : [];
}
