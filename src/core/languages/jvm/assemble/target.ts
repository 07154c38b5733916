/** The file set of one target of a JVM function: its own classes and its dependencies, shaded into one JAR. */
import { lstatSync } from 'node:fs';
import { resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { inflateRawSync } from 'node:zlib';
import { EmballageError } from '../../../base/errors';
import { printable } from '../../../base/text';
import { baseOf, comparePaths, folderOf, foldersAbove, joinPath } from '../../../base/paths';
import { severalAtOnce } from '../../../base/several';
import { contentDigest } from '../../../disk/digest';
import { OpenFiles } from '../../../disk/file-source';
import { stampOf, type Stamp } from '../../../disk/stamp';
import { sortEntries } from '../../../fileset/collect';
import {
  FILE_MODE,
  PROGRAM_MODE,
  type FileSet,
  type Origin,
  type PackedEntry,
  type PackedFile,
  type Reason,
} from '../../../fileset/model';
import { keeperOf } from '../../../fileset/selection';
import { JAR_MANIFEST, manifestText } from '../../../formats/jar';
import { METHOD_STORED, openZip } from '../../../formats/zip';
import {
  assembleJvm,
  PREPARE_VERSION,
  prepareAll,
  readFacts,
  readPrepared,
  type JvmAssembled,
  type JvmEntry,
  type JvmInput,
  type Move,
  type PreparedEntry,
  type PrepareJob,
} from './assembling';
import type { Assembly, AssemblyRequest } from '../../language';
import { KEPT } from '../caches';
import type { JvmKeys } from '../own';
import { repositoriesFor } from '../locks/lock';
import type { LockedPackage } from '../../../project/lock/lockfile';
import { deepTrimmed, type DeepTrimmed } from './deep-target';
import { ownCode, type OwnCode, type OwnJar } from './own-code';
import { generatedBytes } from '../../../project/state/made-files';
import { mostUnpacked, packageStore } from '../../../project/user-packages';
import type { Project } from '../../../project/targets';

const AT_ONCE = 8;

/** @param whole the function's own files */
export async function assemble(request: AssemblyRequest<'jvm'>, whole: FileSet): Promise<Assembly> {
  const { spec, packages } = request;
  const jars = await fetchedJars(request);
  const own = await ownCode(request, whole, compilePath(jars));
  const open = new OpenFiles();
  try {
    const packed = jars.filter(({ locked }) => locked.jvm?.provided !== true);
    const inputs = await preparedInputs(request, own, packed, open);
    const { main, append, deep: isDeep } = spec.byLanguage;
    const roots = [spec.entry.file, ...(main === undefined ? [] : [main])].map((name) => name.replaceAll('.', '/'));
    const assembled = await assembleJvm({
      inputs,
      roots,
      made: madeByProcessors(request, inputs, own),
      trim: spec.trim,
      arch: request.arch,
      append,
      keptBy: keeperOf(spec.keep, whole),
    });
    refuseBound(request, assembled);
    const deep = isDeep ? deepTrimmed(request, assembled) : undefined;
    return {
      fileSet: { entries: entriesOf(request, { assembled, deep }, inputs, own), leftOut: own.leftOut },
      packages,
      trimmed: [...assembled.trimmed, ...(deep?.trimmed ?? [])].sort((a, b) => comparePaths(a.path, b.path)),
      overlaps: assembled.overlaps,
      unseen: [...assembled.unseen, ...(deep?.unseen ?? [])],
      missing: [],
      edges: assembled.edges,
      modules: [],
      sourceDigests: own.digests,
      toolchains: own.toolchains,
      hostEntry: spec.entry,
      ...(request.locked?.jvm !== undefined && { carried: { jvm: request.locked.jvm } }),
    };
  } finally {
    open.close();
  }
}

/** A locked JAR in the store. */
interface FetchedJar {
  readonly locked: LockedPackage;
  readonly path: string;
}

/** Where two versions lie side by side, code is compiled against those that keep their names. */
function compilePath(jars: readonly FetchedJar[]): { path: string; sha256: string }[] {
  return [...jars]
    .sort((a, b) => Number(a.locked.jvm?.apart !== undefined) - Number(b.locked.jvm?.apart !== undefined))
    .map(({ path, locked }) => ({ path, sha256: locked.sha256 }));
}

async function fetchedJars(request: AssemblyRequest<'jvm'>): Promise<FetchedJar[]> {
  const { project, spec, packages, http, machine } = request;
  const store = packageStore(project);
  const open = packages.filter(({ sha256 }) => store.find(sha256) === undefined);
  if (open.length > 0) {
    const { repositories, http: client } = repositoriesFor(project, spec, { http: await http(), machine });
    await severalAtOnce(open, AT_ONCE, ({ file, sha256, size, from }) => {
      const isAddress = /^https?:/.test(from);
      const url = isAddress ? repositories.mirrored(from) : pathToFileURL(resolve(project.root, from)).href;
      const credentials = isAddress ? repositories.credentialsFor(from) : machine.credentials;
      return store.get({ file, sha256, size, url, credentials }, client);
    });
  }
  return packages.map((locked) => ({ locked, path: store.pathOf(locked.sha256) }));
}

type ShadeInput = Omit<JvmInput, 'jar' | 'read' | 'facts'> & {
  readonly path: string;
  readonly sha256: string;
  readonly shown: string;
  readonly apart?: string | undefined;
};

interface PreparedInput extends JvmInput {
  readonly out: string;
  readonly stamp: Stamp;
}

async function preparedInputs(
  request: AssemblyRequest<'jvm'>,
  own: OwnCode,
  jars: readonly FetchedJar[],
  open: OpenFiles,
): Promise<PreparedInput[]> {
  const { spec, project } = request;
  const all: ShadeInput[] = [
    ...own.jars.map((jar: OwnJar) => ({ ...jar, owner: '', version: '', by: [] })),
    ...jars.map(({ locked, path }) => ({
      path,
      sha256: locked.sha256,
      shown: locked.file,
      owner: locked.name,
      version: locked.version,
      by: locked.by,
      apart: locked.jvm?.apart,
    })),
  ];
  const plan = shadePlan(request, all, spec.byLanguage);
  const known = await preparedAlready(project, plan);
  const missing = plan.filter(({ out }) => known.get(out) === undefined);
  await prepareAll(missing, request.jobs);
  for (const { out } of missing) project.state.shared.offer('shaded', baseOf(out), { jar: out });
  return all.map((input, i): PreparedInput => {
    const out = plan[i]?.out ?? '';
    const jar = known.get(out) ?? readPrepared(out);
    if (jar === undefined) throw new Error(`${input.shown} was not prepared in ${project.root}`);
    const { owner, version, by } = input;
    return {
      jar,
      owner,
      version,
      by,
      out,
      stamp: stampOf(lstatSync(out)),
      read: (entry) => contentOf(open, out, entry),
      facts: () => readFacts(out),
    };
  });
}

/** JARs that are ready here, or were made ready by another machine. */
async function preparedAlready(
  { state }: Project,
  plan: readonly PrepareJob[],
): Promise<Map<string, ReturnType<typeof readPrepared>>> {
  const known = new Map(plan.map(({ out }) => [out, readPrepared(out)]));
  const missing = plan.filter(({ out }) => known.get(out) === undefined);
  await severalAtOnce(missing, AT_ONCE, async ({ out }) => {
    if (await state.shared.fetch('shaded', baseOf(out), { jar: out })) known.set(out, readPrepared(out));
  });
  return known;
}

function contentOf(open: OpenFiles, out: string, entry: PreparedEntry): Buffer {
  const bytes = open.read(out, entry);
  return entry.method === METHOD_STORED ? bytes : inflateRawSync(bytes);
}

/** How each JAR is shaded. What it is called depends on everything that what it becomes depends on. */
function shadePlan(
  { spec, project }: AssemblyRequest<'jvm'>,
  inputs: readonly ShadeInput[],
  keys: JvmKeys,
): PrepareJob[] {
  const moving = keys.relocate.map(({ from }) => `${from.replaceAll('.', '/')}/`);
  const paths = moving.length === 0 ? [] : inputs.map((input) => pathsIn(input, moving));
  const named = [...new Set(paths.flat())].sort(comparePaths);
  const plain = keys.relocate.filter(({ within }) => within === undefined).map((one) => moveOf(one, keys));
  return inputs.map((input): PrepareJob => {
    const within = keys.relocate.filter((one) => one.within !== undefined && one.within === input.apart);
    const only = paths
      .filter((_, i) => within.length > 0 && inputs[i]?.apart === input.apart)
      .flat()
      .map((path) => path.replace(/\.class$/, ''));
    const job = {
      moves: [...plain, ...within.map((one): Move => ({ ...moveOf(one, keys), isWithin: true }))],
      named: keys.relocate.length === 0 ? [] : named,
      ...(within.length > 0 && { only }),
      debug: spec.trim === 'off' ? ('all' as const) : keys.debug,
      releases: keys.releases,
      java: Number(spec.runtime.version),
      withFacts: spec.trim === 'traced' || input.owner === '',
      mostBytes: mostUnpacked(project),
    };
    const key = contentDigest(JSON.stringify([PREPARE_VERSION, input.sha256, job]));
    return { jar: input.path, shown: input.shown, out: project.state.file(KEPT.shaded, key), ...job };
  });
}

function moveOf({ from, to }: JvmKeys['relocate'][number], { except }: JvmKeys): Move {
  return { from, to, except };
}

/** Paths of entries below the packages that move. */
function pathsIn({ path, shown }: ShadeInput, moving: readonly string[]): string[] {
  const open = new OpenFiles();
  try {
    const size = lstatSync(path).size;
    const archive = openZip({ size, read: (at, length) => open.read(path, { at, length }) }, shown);
    return archive.entries.flatMap((entry) =>
      entry.kind === 'file' && moving.some((folder) => entry.path.includes(folder)) ? [entry.path] : [],
    );
  } finally {
    open.close();
  }
}

function entriesOf(
  request: AssemblyRequest<'jvm'>,
  { assembled, deep }: { readonly assembled: JvmAssembled; readonly deep: DeepTrimmed | undefined },
  inputs: readonly PreparedInput[],
  own: OwnCode,
): PackedEntry[] {
  const { project, spec } = request;
  const sourceOf = sourceFinder(inputs, own);
  const byInput = new Map(inputs.map((input) => [input as JvmInput, input]));
  const files = assembled.entries.map((one) => {
    const input = byInput.get(one.input as JvmInput);
    if (input === undefined) throw new Error(`${one.path} comes from nowhere`);
    return { ...packedFile(one, input, originOf(one, own, sourceOf)), ...deep?.files.get(one.path) };
  });
  const make = (path: string, made: Buffer, by: string): PackedFile => {
    const content = generatedBytes(project, made);
    return {
      path,
      kind: 'file',
      mode: FILE_MODE,
      origin: { from: 'generated', by },
      reason: { why: 'made-for', by: path === JAR_MANIFEST ? 'the JAR' : path },
      stamp: stampOf(lstatSync(content.source)),
      ...content,
    };
  };
  const { isMultiRelease } = assembled;
  const { main } = spec.byLanguage;
  const manifest = make(
    JAR_MANIFEST,
    Buffer.from(manifestText({ ...(main !== undefined && { main }), isMultiRelease })),
    'the JAR form',
  );
  const joined = assembled.joined.map(({ path, content, by }) => make(path, content, by));
  const all = [...files, ...joined];
  return [manifest, ...sortEntries([...all, ...foldersOf([...all, manifest])])];
}

/** Code that looks for all that is in a package asks for its folder. */
function foldersOf(files: readonly PackedFile[]): PackedEntry[] {
  const folders = foldersAbove(files.map(({ path }) => path));
  const reason: Reason = { why: 'made-for', by: 'what lies in it' };
  const origin: Origin = { from: 'generated', by: 'the JAR form' };
  return [...folders].map((path) => ({ path, kind: 'folder', mode: PROGRAM_MODE, origin, reason }));
}

function packedFile({ path, entry, reason }: JvmEntry, input: PreparedInput, origin: Origin): PackedFile {
  const { at, length, method, crc32, sha256, size } = entry;
  return {
    path,
    kind: 'file',
    mode: FILE_MODE,
    origin,
    reason,
    size,
    sha256,
    source: input.out,
    stamp: input.stamp,
    packed: { at, length, method, crc32 },
  };
}

function originOf(
  { path, entry, input }: JvmEntry,
  own: OwnCode,
  sourceOf: (path: string) => PackedFile | undefined,
): Origin {
  if (input.owner !== '') return { from: 'package', name: input.owner, version: input.version, at: entry.from };
  const file = own.files.get(entry.from) ?? sourceOf(path);
  return file?.origin ?? { from: 'generated', by: own.toolchains[0] ?? 'a JAR of the source' };
}

/** Classes that no source file became. Names with slashes. */
function madeByProcessors({ spec }: AssemblyRequest<'jvm'>, inputs: readonly PreparedInput[], own: OwnCode): string[] {
  const [compiled] = inputs;
  if (spec.byLanguage.processors.length === 0 || own.sources.size === 0 || compiled?.owner !== '') return [];
  const sourceOf = sourceFinder(inputs, own);
  return compiled.facts().flatMap(({ name }) => (sourceOf(`${name}.class`) === undefined ? [name] : []));
}

/** Native code is linked to a class by its name, and stays behind when the class moves: that fails late, or in silence. */
function refuseBound({ spec }: AssemblyRequest<'jvm'>, { entries }: JvmAssembled): void {
  const packed = new Map(entries.map(({ path, input }) => [path, input]));
  for (const { jar, owner, version } of new Set(packed.values()))
    for (const { path, name, method } of jar.bound ?? []) {
      if (packed.get(path)?.jar !== jar) continue;
      const folder = name.slice(0, name.lastIndexOf('.'));
      throw new EmballageError('PACKAGE_INVALID', {
        doing: `moving packages of ${spec.name}`,
        where: owner === '' ? 'its own code' : `${owner} ${version}`,
        expected: 'classes without native code where a package moves',
        found: `\`${printable(`${name}.${method}`)}\`, which its library finds by the name that the class has`,
        mend: `let that package stay: \`relocate: { except: ["${printable(folder)}.*"] }\``,
      });
    }
}

/** Source files by the classes that they became. */
function sourceFinder(inputs: readonly PreparedInput[], own: OwnCode): (path: string) => PackedFile | undefined {
  if (own.sources.size === 0) return () => undefined;
  const facts = inputs.filter(({ owner }) => owner === '').flatMap((input) => input.facts());
  const files = new Map(facts.map(({ name, file }) => [`${name}.class`, joinPath(folderOf(name), file ?? '')]));
  return (path) => own.sources.get(files.get(path) ?? '');
}
