/** What surveying has in common for languages that are compiled: programs that read events by lines, or listen on a port. */
import { baseOf, folderOf, joinPath, within } from '../../base/paths';
import {
  ENOUGH,
  isAside,
  nameFor,
  type EntryCandidate,
  type KnownFunction,
  type LookedAt,
  type SurveyedFunction,
  type SurveyedKey,
  type SurveyedSetting,
  type SurveyedTree,
  type SurveyRequest,
} from '../surveying';
import type { CompilerFiles } from './compile/files';
import { readSourceSettings, type SettingWords } from './source-settings';

export interface CompiledWords {
  /** The word of the runtime. */
  readonly runtime: string;
  readonly settings: SettingWords;
  readonly files: CompilerFiles;
  /** How source asks for standard input, from which events come. */
  readonly readsEvents: RegExp;
}

/** A program that was found. */
export interface FoundProgram {
  readonly source: string;
  /** Its main file, relative to the repository. */
  readonly file: string;
  /** Files that are compiled for it, as far as they are its own. */
  readonly files: readonly string[];
  readonly name?: string;
  readonly hasSeveral: boolean;
  readonly keys: readonly SurveyedKey[];
  readonly needs?: { readonly why: string };
  readonly lacking: readonly string[];
}

/** By HTTP it is the host that says on which port. */
const PORT = 'PORT';

/** A program as a function; undefined, with a note, for one that asks for no events. */
export function programFunction(
  { tree, onNote }: SurveyRequest,
  words: CompiledWords,
  found: FoundProgram,
): SurveyedFunction | undefined {
  const { source, file, files, hasSeveral, needs } = found;
  const texts = files.map((path) => tree.text(path) ?? '');
  const settings = settingsOf(tree, files, words);
  const readsLines = texts.some((text) => words.readsEvents.test(text));
  if (!readsLines && !settings.some(({ name }) => name === PORT)) {
    const text = 'a program that neither reads standard input nor listens on `PORT`';
    onNote({ where: file, text });
    return undefined;
  }
  const unnamed = unnamedIn(tree, source, texts, words);
  return {
    name: found.name ?? nameFor(source, within(source, file), hasSeveral, tree.root),
    source,
    file,
    runtime: { value: words.runtime, why: `${within(source, file)} is compiled`, fits: () => true },
    entries: [
      {
        entry: within(source, file),
        why: readsLines ? 'has `main` and reads standard input' : 'has `main` and listens on the port in `PORT`',
        points: ENOUGH + 1,
      },
    ],
    speech: readsLines ? 'lines' : 'http',
    ...(needs !== undefined && { needs }),
    keys: [
      ...found.keys,
      ...(unnamed.length > 0 ? [{ key: 'leave-out', value: unnamed, why: 'the code names none of these' }] : []),
    ],
    settings: readsLines ? settings : settings.filter(({ name }) => name !== PORT),
    lacking: found.lacking,
  };
}

/** Settings that sources read, by the calls that the language has for it. */
export function settingsOf(
  tree: SurveyedTree,
  files: readonly string[],
  { settings }: CompiledWords,
): SurveyedSetting[] {
  return files.flatMap((file) => readSourceSettings(tree.text(file) ?? '', settings).map((one) => ({ ...one, file })));
}

/** What stands at the top of a source folder, is not for compiling, and is named nowhere in the code. */
function unnamedIn(tree: SurveyedTree, source: string, texts: readonly string[], { files }: CompiledWords): string[] {
  const folders = new Set<string>();
  for (const folder of tree.folders.keys())
    if (folder !== source && (source === '' || folder.startsWith(`${source}/`)))
      folders.add(within(source, folder).split('/')[0] ?? '');
  const isCode = (path: string): boolean =>
    files.sources.test(path) || files.settings.test(path) || files.folders.test(path);
  const isNamed = (name: string): boolean =>
    texts.some(
      (text) => text.includes(name) || (name.includes('.') && text.includes(`"*${name.slice(name.lastIndexOf('.'))}`)),
    );
  const top = (tree.folders.get(source) ?? []).filter((name) => !isCode(name) && !isNamed(name));
  const below = [...folders].filter(
    (name) => !isNamed(name) && ![...tree.below(joinPath(source, name))].some((path) => isCode(within(source, path))),
  );
  return [...top, ...below.map((name) => `${name}/`)].sort();
}

/** A known function: whether its main file is there, and what its code reads. */
export function lookAtProgram(
  { tree }: SurveyRequest,
  words: CompiledWords,
  { source, entry }: KnownFunction,
  files: readonly string[],
  others: readonly string[],
): LookedAt {
  const file = joinPath(source, entry.file);
  const isMade = entry.file.includes('{') || !baseOf(file).includes('.');
  const isThere = tree.text(file) !== undefined;
  const entries: EntryCandidate[] = others.map((path) => ({
    entry: within(source, path),
    why: 'has `main`',
    points: ENOUGH + (folderOf(path) === folderOf(file) ? 1 : 0),
  }));
  return {
    entry: isThere ? 'there' : isMade ? 'unseen' : 'gone',
    found: isThere ? '' : 'no such file',
    entries: isThere ? [] : entries,
    settings: settingsOf(tree, files, words),
    hasPackages: false,
  };
}

/** Source files of a language in a folder and below it that are not beside the point. */
export function sourcesBelow(tree: SurveyedTree, folder: string, pattern: RegExp): string[] {
  return [...tree.below(folder)].filter((path) => pattern.test(path) && !isAside(within(folder, path)));
}
