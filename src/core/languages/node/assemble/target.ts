/** The file set of one target of a Node.js function. */
import { lstatSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { EmballageError, messageOf } from '../../../base/errors';
import { comparePaths } from '../../../base/paths';
import { stampOf } from '../../../disk/stamp';
import { sortEntries } from '../../../fileset/collect';
import {
  FILE_MODE,
  type FileSet,
  type LeftOut,
  type LinkedModule,
  type PackedEntry,
  type PackedFile,
  type Trimmed,
} from '../../../fileset/model';
import { keeperOf } from '../../../fileset/selection';
import type { FunctionCompiler, Mentions, NodeAssembled, NodePlaced } from './assembling';
import type { Assembly, AssemblyRequest } from '../../language';
import { KEPT } from '../caches';
import { libcOf, runtimeOf } from '../../../project/destination-runtime';
import { generated, strippedFile } from '../../../project/state/made-files';
import { laidOut } from './installed-links';
import { adapterCalls } from '../../../sheet';
import { ownerOf } from '../view/owner';
import { isBuildFile, packageFiles, sharedPackageFiles, sourceFiles, type KnownFile } from './files';
import { compilerSettings } from './shared-source';
import type { Project } from '../../../project/targets';

type NodeLanguage = typeof import('./assembling');

/** @param whole the function's own files */
export async function assemble(request: AssemblyRequest<'node'>, whole: FileSet): Promise<Assembly> {
  const { spec, packages, knownDigests } = request;
  const links = whole.entries.filter(({ kind }) => kind === 'link').map(({ path }) => path);
  const sources = sourceFiles(whole, knownDigests);
  const own = laidOut(sources, links, join(request.project.root, spec.source));
  const plain: Omit<Assembly, 'fileSet'> = {
    packages,
    trimmed: [],
    overlaps: [],
    unseen: [],
    missing: [],
    modules: [],
    toolchains: [],
    sourceDigests: new Map(),
    hostEntry: spec.entry,
    carriedOf: ({ node }) => (node === undefined ? {} : { node }),
  };
  const files = [...own, ...sharedPackageFiles(request), ...(await packageFiles(request))];
  const isPlain = files.length === own.length && own.every(({ owner }) => owner === '');
  const isCompiling = files.some(({ isOwn, path }) => isOwn && /\.[cm]?tsx?$|\.jsx$/.test(path));
  const { base: all, leftOut } = withoutBuildFiles(whole);
  // Links to packages that are laid out have done their work.
  const base = own === sources ? all : all.filter(({ kind, path }) => kind !== 'link' || ownerOf(`${path}/`) === '');
  if (isPlain && !isCompiling && spec.trim !== 'traced' && !spec.byLanguage.link && spec.adapter === undefined)
    return { ...plain, fileSet: { entries: base, leftOut } };
  const language = await import('./assembling');
  return assembleAll({ request, language, files, base, leftOut, plain, isCompiling });
}

interface Work {
  readonly request: AssemblyRequest<'node'>;
  readonly language: NodeLanguage;
  readonly files: readonly KnownFile[];
  readonly base: readonly PackedEntry[];
  readonly leftOut: readonly LeftOut[];
  readonly plain: Omit<Assembly, 'fileSet'>;
  readonly isCompiling: boolean;
}

async function assembleAll(work: Work): Promise<Assembly> {
  const { request, language, plain } = work;
  const { project, spec } = request;
  const adapter = spec.adapter === undefined ? undefined : adapterFile(project, work);
  const known = new Map<string, KnownFile>();
  for (const file of [...work.files, ...(adapter === undefined ? [] : [adapter])])
    // The function's own files come first, and win a path that a package claims too.
    if (!known.has(file.path) || file === adapter) known.set(file.path, file);
  const compiler = work.isCompiling ? readCompiler(work) : undefined;
  const pool = new language.ModulePool(request.jobs);
  const book = new language.ModuleBook(project.state.file(KEPT.modules, `${spec.name}.book`));
  const linksFile = project.state.file(KEPT.links, `${spec.name}.${request.arch}.json`);
  const links = new language.LinkMemory(linksFile, project.state);
  const entry = adapter === undefined ? spec.entry : language.httpAdapterEntry();
  try {
    const assembled = await language.assembleNode(
      {
        ...nodeSettings(request, language),
        files: [...known.values()].sort((a, b) => comparePaths(a.path, b.path)),
        entry,
        keptBy: keeperOf(spec.keep, { entries: work.base }),
        compiler,
        modules: new language.Modules(book, pool),
        pool,
        mentionsOf: (owner, read) => mentionsOf(request, owner, read),
        sourceName: (path) => sourceName(known.get(path), path),
      },
      links,
    );
    book.keep();
    const { entries, trimmed } = entriesOf(work, assembled, known);
    const ownDropped = assembled.dropped.map((path) => ({ path, by: 'not-reached', kind: 'file' }) as const);
    return {
      ...plain,
      fileSet: { entries, leftOut: [...work.leftOut, ...ownDropped] },
      trimmed: [...assembled.trimmed, ...trimmed].sort((a, b) => comparePaths(a.path, b.path)),
      unseen: assembled.unseen,
      missing: assembled.missing,
      edges: assembled.edges,
      modules: modulesOf(assembled, known),
      sourceDigests: new Map(
        work.files.filter(({ owner }) => owner === '').map(({ path, sha256 }) => [path, sha256()]),
      ),
      toolchains: toolchainsOf(request, work.isCompiling),
      hostEntry: { text: `${assembled.entryFile}#${entry.member}`, file: assembled.entryFile, member: entry.member },
    };
  } finally {
    await pool.close();
  }
}

function nodeSettings({ project, spec, arch, locked, packages }: AssemblyRequest<'node'>, language: NodeLanguage) {
  const major = Number(spec.runtime.version);
  return {
    trim: spec.trim,
    isStrict: spec.isStrict,
    asked:
      locked === undefined
        ? undefined
        : packages
            .filter(({ by }) => by.some((one) => /(?:^|\/)package\.json$/.test(one)))
            .flatMap(({ node }) => node?.at ?? []),
    cpu: arch === 'arm64' ? ('arm64' as const) : ('x64' as const),
    libc: libcOf(project, spec),
    requiresEsm: language.requiresEsm(major, runtimeOf(project, spec)?.patch),
    nodeEnv: spec.settings.find(({ name }) => name === 'NODE_ENV')?.sample,
    ...spec.byLanguage,
  };
}

function withoutBuildFiles(whole: FileSet): { base: PackedEntry[]; leftOut: LeftOut[] } {
  const left = whole.entries.filter(isBuildFile).map(({ path }): LeftOut => {
    return { path, by: path.includes('tsconfig') ? 'compiler' : 'requirements', kind: 'file' };
  });
  return { base: whole.entries.filter((entry) => !isBuildFile(entry)), leftOut: [...whole.leftOut, ...left] };
}

function readCompiler({ request: { project, spec }, language, files }: Work): FunctionCompiler {
  const [settings] = compilerSettings(project, spec);
  const own = new Set(files.filter(({ isOwn }) => isOwn).map(({ path }) => path));
  try {
    return language.readFunctionCompiler({
      settings: settings === undefined ? undefined : join(project.root, settings),
      root: join(project.root, spec.source),
      major: Number(spec.runtime.version),
      sourcemap: spec.byLanguage.sourcemap !== 'none',
      isOwn: (path) => own.has(path),
    });
  } catch (error) {
    throw new EmballageError(
      'MODULE_INVALID',
      {
        doing: 'reading the compiler’s settings',
        where: settings ?? '',
        expected: 'a tsconfig.json that the compiler can read',
        found: messageOf(error),
        mend: 'mend the file',
      },
      error,
    );
  }
}

function adapterFile(project: Project, { request: { spec }, language }: Work): KnownFile {
  const calls = adapterCalls(spec, project.sheet.destinations[spec.destination]);
  const { source, size, sha256 } = generated(project, language.httpAdapterCode(spec.entry, calls));
  return {
    path: language.HTTP_ADAPTER_FILE,
    source,
    size,
    mode: FILE_MODE,
    origin: { from: 'generated', by: 'adapter http' },
    owner: '',
    isOwn: true,
    sha256: () => sha256,
  };
}

/** What source maps call a file: where it lies in the project, or in the artifact. */
function sourceName(file: KnownFile | undefined, path: string): string {
  return file?.origin.from === 'source' ? file.origin.at : path;
}

/** What the code of a package says of its files, remembered by the digest of the package. */
function mentionsOf({ project, packages }: AssemblyRequest<'node'>, owner: string, read: () => Mentions): Mentions {
  const sha256 = packages.find(({ node }) => node?.at === owner)?.sha256;
  if (sha256 === undefined) return read();
  const known = project.state.recall(KEPT.mentions, `${sha256}.json`) as Mentions | undefined;
  if (known !== undefined) return known;
  const found = read();
  project.state.remember(KEPT.mentions, `${sha256}.json`, found);
  return found;
}

function entriesOf(
  work: Work,
  assembled: NodeAssembled,
  known: ReadonlyMap<string, KnownFile>,
): { entries: PackedEntry[]; trimmed: Trimmed[] } {
  const { project, spec } = work.request;
  const trimmed: Trimmed[] = [];
  const before = new Map(work.base.map((entry) => [entry.path, entry]));
  const files = assembled.placed.map((placed): PackedFile => {
    const file = placed.file === undefined ? undefined : known.get(placed.file.path);
    const own = file?.owner === '' ? before.get(file.path) : undefined;
    // What stands in the source folder keeps its own reason where tracing has none.
    const reason = placed.reason.why === 'in-source' ? (own?.reason ?? placed.reason) : placed.reason;
    if (placed.text === undefined && own?.kind === 'file') return { ...own, reason };
    const content = contentOf(project, placed, file, spec.trim !== 'off' ? trimmed : undefined);
    return {
      path: placed.path,
      kind: 'file',
      mode: file?.mode ?? FILE_MODE,
      origin: file?.origin ?? { from: 'generated', by: 'linking' },
      reason: withAdapter(reason, file, spec.entry.text),
      stamp: stampOf(lstatSync(content.source)),
      ...content,
    };
  });
  // Links and empty folders stay as the sheet says.
  const others = work.base.filter(({ kind }) => kind !== 'file');
  return { entries: sortEntries([...others, ...files]), trimmed };
}

function withAdapter(reason: PackedFile['reason'], file: KnownFile | undefined, entry: string): PackedFile['reason'] {
  const isAdapter = file?.origin.from === 'generated';
  return isAdapter ? { why: 'made-for', by: `http application ${entry}` } : reason;
}

function contentOf(
  project: Project,
  placed: NodePlaced,
  file: KnownFile | undefined,
  trimmed: Trimmed[] | undefined,
): Pick<PackedFile, 'source' | 'size' | 'sha256'> {
  if (placed.text !== undefined) return generated(project, placed.text);
  if (file === undefined) throw new Error(`nothing to pack as ${placed.path}`);
  const content = { source: file.source, size: file.size, sha256: file.sha256() };
  const isAddon = !file.isOwn && /\.(?:node|so(?:\.[\d.]+)?)$/.test(file.path);
  const smaller = isAddon && trimmed !== undefined ? strippedFile(project, content) : undefined;
  if (smaller === undefined) return content;
  trimmed?.push({ path: file.path, size: file.size - smaller.size, package: file.owner, by: 'debug-sections' });
  return smaller;
}

function modulesOf({ linked }: NodeAssembled, known: ReadonlyMap<string, KnownFile>): LinkedModule[] {
  return linked.flatMap(({ file, inside, reason, settings, packages }) => {
    const origin = known.get(file.path)?.origin;
    const reads = file.isOwn
      ? { ...(settings.length > 0 && { settings }), ...(packages.length > 0 && { packages }) }
      : {};
    return origin === undefined ? [] : [{ path: file.path, size: file.size, inside, origin, reason, ...reads }];
  });
}

function toolchainsOf({ spec }: AssemblyRequest<'node'>, isCompiling: boolean): string[] {
  const version = (name: string): string => {
    const { version: found } = JSON.parse(readFileSync(require.resolve(`${name}/package.json`), 'utf8')) as {
      version: string;
    };
    return `${name} ${found}`;
  };
  return [...(isCompiling ? [version('typescript')] : []), ...(spec.byLanguage.minify ? [version('terser')] : [])];
}
