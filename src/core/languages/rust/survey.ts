/** Finds functions in Rust in a repository: programs of packages that read events. */
import { parse } from 'smol-toml';
import { messageOf } from '../../base/errors';
import { baseOf, folderOf, joinPath, settlePath, upwards } from '../../base/paths';
import { lookAtProgram, programFunction, sourcesBelow, type CompiledWords } from '../compiled/survey';
import {
  firstIn,
  isAside,
  stemOf,
  type SurveyedFunction,
  type SurveyedTree,
  type Surveyor,
  type SurveyRequest,
} from '../surveying';
import { RUST_FILES, RUST_SETTINGS } from './view/source-words';

const WORDS: CompiledWords = {
  runtime: 'rust',
  settings: RUST_SETTINGS,
  files: RUST_FILES,
  readsEvents: /\bstdin\s*\(\s*\)/,
};

const MANIFEST = 'Cargo.toml';
const HAS_MAIN = /^\s*(?:pub\s+)?(?:async\s+)?fn\s+main\s*\(\s*\)/m;

interface Program {
  readonly name: string;
  readonly file: string;
}

export const rustSurveyor: Surveyor = (request) => ({
  find() {
    const { tree } = request;
    const packages = [...tree.folders].filter(([, names]) => names.includes(MANIFEST)).map(([folder]) => folder);
    const inPackages = packages
      .filter((folder) => !isAside(`${folder}/x`))
      .flatMap((folder) => programsOf(request, folder));
    // A file by itself, where no package is around it.
    const alone = [...tree.below('')].filter(
      (path) =>
        path.endsWith('.rs') &&
        !isAside(path) &&
        !upwards(folderOf(path)).some((folder) => tree.has(joinPath(folder, MANIFEST))) &&
        HAS_MAIN.test(tree.text(path) ?? ''),
    );
    const singles = alone.flatMap((file) => {
      const source = folderOf(file);
      const hasSeveral = alone.filter((one) => folderOf(one) === source).length > 1;
      const files = sourcesBelow(tree, source, /\.rs$/);
      return programFunction(request, WORDS, { source, file, files, hasSeveral, keys: [], lacking: [] }) ?? [];
    });
    return Promise.resolve([...inPackages, ...singles]);
  },
  look(known) {
    const { tree } = request;
    const files = sourcesBelow(tree, known.source, /\.rs$/);
    const mains = files.filter((path) => HAS_MAIN.test(tree.text(path) ?? ''));
    return lookAtProgram(request, WORDS, known, files, mains);
  },
});

function programsOf(request: SurveyRequest, folder: string): SurveyedFunction[] {
  const { tree } = request;
  const programs = readPrograms(request, folder);
  const lock = upwards(folder)
    .map((one) => firstIn(tree, one, ['Cargo.lock']))
    .find((path) => path !== undefined);
  const needs = lock === undefined ? {} : { needs: { why: `${lock} is found by itself` } };
  const lacking =
    lock === undefined
      ? [`no Cargo.lock at ${folder === '' ? 'the top' : folder} or above it: run \`cargo generate-lockfile\``]
      : [];
  const shared = sourcesBelow(tree, joinPath(folder, 'src'), /\.rs$/).filter(
    (path) => !programs.some(({ file }) => file === path) && !isInBin(path),
  );
  return programs.flatMap(({ name, file }) => {
    const hasSeveral = programs.length > 1;
    const keys = hasSeveral
      ? [{ key: 'build', value: { program: name }, why: 'the package has several programs' }]
      : [];
    const own = isInBin(file) && baseOf(file) === 'main.rs' ? sourcesBelow(tree, folderOf(file), /\.rs$/) : [file];
    const found = {
      source: folder,
      file,
      files: [...new Set([...own, ...shared])],
      name,
      hasSeveral,
      keys,
      ...needs,
      lacking,
    };
    return programFunction(request, WORDS, found) ?? [];
  });
}

function isInBin(path: string): boolean {
  return /(?:^|\/)src\/bin\//.test(path);
}

/** The programs of a package, as Cargo finds them: stated, or by where their files lie. */
function readPrograms({ tree, onNote }: SurveyRequest, folder: string): Program[] {
  const path = joinPath(folder, MANIFEST);
  let manifest: Record<string, unknown>;
  try {
    manifest = parse(tree.text(path) ?? '');
  } catch (error) {
    onNote({ where: path, text: `passed over: ${messageOf(error).split('\n')[0] ?? ''}` });
    return [];
  }
  const about = manifest.package as { name?: unknown; autobins?: unknown } | undefined;
  if (typeof about?.name !== 'string') return [];
  const stated = (Array.isArray(manifest.bin) ? (manifest.bin as { name?: unknown; path?: unknown }[]) : []).flatMap(
    ({ name, path: file }): Program[] => {
      if (typeof name !== 'string') return [];
      const places =
        typeof file === 'string' ? [file] : [`src/bin/${name}.rs`, `src/bin/${name}/main.rs`, 'src/main.rs'];
      const found = places.map((one) => settlePath(joinPath(folder, one)) ?? '').find((one) => tree.has(one));
      return found === undefined ? [] : [{ name, file: found }];
    },
  );
  const usual = about.autobins === false ? [] : usualPrograms(tree, folder, about.name);
  return [...stated, ...usual.filter(({ file }) => !stated.some((one) => one.file === file))];
}

function usualPrograms(tree: SurveyedTree, folder: string, name: string): Program[] {
  const main = firstIn(tree, folder, ['src/main.rs']);
  const bin = joinPath(folder, 'src/bin');
  const files = (tree.folders.get(bin) ?? []).filter((one) => one.endsWith('.rs')).map((one) => joinPath(bin, one));
  const folders = [...tree.folders.keys()].filter((one) => folderOf(one) === bin && tree.has(joinPath(one, 'main.rs')));
  return [
    ...(main === undefined ? [] : [{ name, file: main }]),
    ...files.map((file) => ({ name: stemOf(file), file })),
    ...folders.map((one) => ({ name: baseOf(one), file: joinPath(one, 'main.rs') })),
  ];
}
