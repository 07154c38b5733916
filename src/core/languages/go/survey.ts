/** Finds functions in Go in a repository: packages `main` that read events. */
import { baseOf, folderOf, joinPath } from '../../base/paths';
import { groupBy } from '../../base/several';
import { lookAtProgram, programFunction, type CompiledWords } from '../compiled/survey';
import {
  allOf,
  firstIn,
  isAside,
  nearest,
  reach,
  type KnownFunction,
  type LookedAt,
  type SurveyedTree,
  type Surveyor,
  type SurveyRequest,
} from '../surveying';
import { GO_FILES, GO_SETTINGS } from './source-words';

const WORDS: CompiledWords = {
  runtime: 'go',
  settings: GO_SETTINGS,
  files: GO_FILES,
  readsEvents: /\bos\s*\.\s*Stdin\b/,
};

const IS_MAIN = /^package\s+main\b/m;
const HAS_MAIN = /^func\s+main\s*\(\s*\)/m;
/** Files that only `go run` is given. */
const IS_IGNORED = /^\/\/(?:go:build| \+build)\s+ignore\b/m;

export const goSurveyor: Surveyor = (request) => ({
  find() {
    const { tree } = request;
    const mains = mainsIn(tree, '').map((file) => ({ file, source: moduleOf(tree, file) }));
    const found = [...groupBy(mains, ({ source }) => source)].flatMap(([source, all]) =>
      all.flatMap(({ file }) => {
        const isAtTop = folderOf(file) === source;
        const name = isAtTop ? nameOfModule(tree, source) : baseOf(folderOf(file));
        const files = packagesOf(tree, source, folderOf(file));
        const program = { source, file, files, hasSeveral: all.length > 1, keys: [], ...needsOf(tree, source) };
        return programFunction(request, WORDS, { ...program, ...(name !== undefined && { name }) }) ?? [];
      }),
    );
    return Promise.resolve(found);
  },
  look: (known) => look(request, known),
});

function look(request: SurveyRequest, known: KnownFunction): LookedAt {
  const { tree } = request;
  const folder = folderOf(joinPath(known.source, known.entry.file));
  const source = nearest(joinPath(folder, 'x'), (one) => tree.has(joinPath(one, 'go.mod'))) ?? folder;
  return lookAtProgram(request, WORDS, known, packagesOf(tree, source, folder), mainsIn(tree, known.source));
}

/** One main file for each package that is a program. */
function mainsIn(tree: SurveyedTree, folder: string): string[] {
  const found = [...tree.below(folder)].filter((path) => {
    if (!isOwn(path) || isAside(path)) return false;
    const text = tree.text(path) ?? '';
    return IS_MAIN.test(text) && HAS_MAIN.test(text) && !IS_IGNORED.test(text);
  });
  return [...groupBy(found, folderOf).values()].map(([first]) => first);
}

function isOwn(path: string): boolean {
  return path.endsWith('.go') && !path.endsWith('_test.go');
}

/** The folder of the nearest go.mod; the file's own where there is none. */
function moduleOf(tree: SurveyedTree, file: string): string {
  return nearest(file, (folder) => tree.has(joinPath(folder, 'go.mod'))) ?? folderOf(file);
}

function nameOfModule(tree: SurveyedTree, source: string): string | undefined {
  return source === ''
    ? modulePath(tree, source)
        ?.replace(/\/v\d+$/, '')
        .split('/')
        .pop()
    : undefined;
}

function modulePath(tree: SurveyedTree, source: string): string | undefined {
  return /^module\s+"?([^\s"]+)/m.exec(tree.text(joinPath(source, 'go.mod')) ?? '')?.[1];
}

/** Files of a package and of those of its module that it imports. */
function packagesOf(tree: SurveyedTree, source: string, folder: string): string[] {
  const path = modulePath(tree, source);
  const filesIn = (one: string): string[] =>
    (tree.folders.get(one) ?? []).map((name) => joinPath(one, name)).filter(isOwn);
  const folders = reach(folder, (one) => {
    const imported = filesIn(one).flatMap((file) =>
      allOf(tree.text(file) ?? '', /^\s*(?:import\s+)?(?:[\w.]+\s+)?"([^"\n]+)"\s*$/gm),
    );
    const own = path === undefined ? [] : imported.filter((name) => name.startsWith(`${path}/`));
    return own.map((name) => joinPath(source, name.slice((path ?? '').length + 1)));
  });
  return folders.flatMap(filesIn);
}

function needsOf(tree: SurveyedTree, source: string): { needs?: { why: string }; lacking: string[] } {
  const text = tree.text(joinPath(source, 'go.mod')) ?? '';
  const isVendored = tree.has(joinPath(source, 'vendor/modules.txt'));
  if (!/^\s*(?:require\s+)?[\w.-]+\.[\w.-]+\/\S+ v\d/m.test(text) || isVendored) return { lacking: [] };
  const sum = firstIn(tree, source, ['go.sum']);
  if (sum !== undefined) return { needs: { why: `${sum} is found by itself` }, lacking: [] };
  return { lacking: [`${joinPath(source, 'go.mod')} requires modules and there is no go.sum: run \`go mod tidy\``] };
}
