/** Finds functions in C and C++ in a repository: files with `main` that read events. */
import { baseOf, folderOf, joinPath, within } from '../../base/paths';
import { groupBy } from '../../base/several';
import { lookAtProgram, programFunction, sourcesBelow, type CompiledWords } from '../compiled/survey';
import { allOf, isAside, ownFolder, type SurveyedKey, type SurveyedTree, type Surveyor } from '../surveying';
import { C_FILES, C_SETTINGS } from './source-words';

const WORDS: CompiledWords = {
  runtime: 'c',
  settings: C_SETTINGS,
  files: C_FILES,
  readsEvents: /\bstdin\b|\bstd\s*::\s*cin\b|\bcin\s*>>|\bSTDIN_FILENO\b|\bread\s*\(\s*0\s*,|\bgetchar\s*\(/,
};

const SOURCE = /\.(?:c|cc|cpp|cxx|C)$/;
const HAS_MAIN = /^[ \t]*(?:static\s+)?int\s+main\s*\(/m;

/** Libraries that are not the compiler's own, by a header that is theirs. */
const LIBRARIES: readonly (readonly [header: RegExp, library: string])[] = [
  [/^(?:math|tgmath|complex)\.h$|^cmath$/, 'm'],
  [/^(?:pthread|threads)\.h$|^thread$/, 'pthread'],
  [/^zlib\.h$/, 'z'],
  [/^bzlib\.h$/, 'bz2'],
  [/^lzma\.h$/, 'lzma'],
  [/^zstd\.h$/, 'zstd'],
  [/^sqlite3\.h$/, 'sqlite3'],
  [/^expat\.h$/, 'expat'],
  [/^dlfcn\.h$/, 'dl'],
];

const OF_LIBC = ['m', 'pthread', 'dl', 'rt'];

export const cSurveyor: Surveyor = (request) => ({
  find() {
    const { tree } = request;
    const mains = [...tree.below('')].filter(
      (path) => SOURCE.test(path) && !isAside(path) && HAS_MAIN.test(tree.text(path) ?? ''),
    );
    const found = [...groupBy(mains, (file) => ownFolder(file, ''))].flatMap(([source, all]) =>
      all.flatMap((file) => {
        const hasSeveral = all.length > 1;
        const files = filesOf(tree, file, all);
        const keys = keysOf(tree, { source, file, files, hasSeveral });
        return programFunction(request, WORDS, { source, file, files, hasSeveral, keys, lacking: [] }) ?? [];
      }),
    );
    return Promise.resolve(found);
  },
  look(known) {
    const { tree } = request;
    const mains = sourcesBelow(tree, known.source, SOURCE).filter((path) => HAS_MAIN.test(tree.text(path) ?? ''));
    const files = filesOf(tree, joinPath(known.source, known.entry.file), mains);
    return lookAtProgram(request, WORDS, known, files, mains);
  },
});

/** What is compiled for a program: all sources of its folder but those with a `main` of their own. */
function filesOf(tree: SurveyedTree, file: string, mains: readonly string[]): string[] {
  return sourcesBelow(tree, folderOf(file), C_SETTINGS.files).filter((path) => path === file || !mains.includes(path));
}

interface Program {
  readonly source: string;
  readonly file: string;
  readonly files: readonly string[];
  readonly hasSeveral: boolean;
}

function keysOf(tree: SurveyedTree, { source, file, files, hasSeveral }: Program): SurveyedKey[] {
  const headers = files.flatMap((path) => allOf(tree.text(path) ?? '', /^[ \t]*#[ \t]*include[ \t]*<([^>\n]+)>/gm));
  const linked = LIBRARIES.filter(([header]) => headers.some((one) => header.test(one))).map(([, library]) => library);
  const stated = makefileOf(tree, source).filter((name) => !linked.includes(name));
  const libraries = [...linked, ...stated];
  const compiled = files.filter((path) => SOURCE.test(path)).map((path) => within(source, path));
  const isPartial = hasSeveral || folderOf(file) !== source;
  if (libraries.length === 0 && !isPartial) return [];
  // Hosts have the C library, which some of these are a part of, and hardly any other.
  const isStatic = libraries.some((name) => !OF_LIBC.includes(name));
  const why = [
    ...(isPartial ? ['the files without another `main`'] : []),
    ...(libraries.length > 0 ? ['libraries whose headers it includes'] : []),
    ...(isStatic ? ['linked in, since hosts hardly have them'] : []),
  ];
  const value = {
    ...(isPartial && { sources: compiled }),
    ...(libraries.length > 0 && { libraries }),
    ...(isStatic && { linkage: 'static' }),
  };
  return [{ key: 'build', value, why: why.join('; ') }];
}

/** Libraries that a makefile links with. */
function makefileOf(tree: SurveyedTree, source: string): string[] {
  const name = (tree.folders.get(source) ?? []).find((one) => /^(?:GNUm|[Mm])akefile$/.test(baseOf(one)));
  if (name === undefined) return [];
  const lines = (tree.text(joinPath(source, name)) ?? '')
    .split('\n')
    .filter((line) => /LIBS|LDFLAGS|\bcc\b|\bgcc\b|\$\(CC\)/.test(line));
  return [...new Set(lines.flatMap((line) => allOf(line, /(?:^|\s)-l([\w+.-]+)/g)))];
}
