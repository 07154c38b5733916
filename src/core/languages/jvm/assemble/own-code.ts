/** The function's own classes and resources: compiled where they are source, taken as they are otherwise. */
import { existsSync, mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { EmballageError } from '../../../base/errors';
import { baseOf } from '../../../base/paths';
import { contentDigest, fileDigest } from '../../../disk/digest';
import { filesBelow, writeStoredZip } from '../../../disk/unpack/stored-zip';
import type { FileSet, LeftOut, PackedEntry, PackedFile } from '../../../fileset/model';
import { compileJava, compilerFlags } from '../run/compile-java';
import { chooseCompiler, javasOf, type JavaRuntime } from '../run/machines';
import type { AssemblyRequest } from '../../language';
import { KEPT } from '../caches';

/** A JAR of the function's own, not shaded yet. */
export interface OwnJar {
  /** Absolute path. */
  readonly path: string;
  readonly sha256: string;
  readonly shown: string;
}

export interface OwnCode {
  readonly jars: readonly OwnJar[];
  /** Path in the project by path in the artifact, for files that are packed as they are. */
  readonly files: ReadonlyMap<string, PackedFile>;
  /** Source files by their path from the root of packages. */
  readonly sources: ReadonlyMap<string, PackedFile>;
  readonly leftOut: readonly LeftOut[];
  readonly toolchains: readonly string[];
  readonly digests: ReadonlyMap<string, string>;
}

/** Roots of source and of resources in a project laid out as Maven's. */
const SOURCE_ROOTS = ['src/main/java/', 'src/main/resources/'];

/**
 * @param classPath absolute paths and digests of the JARs that the source is compiled against
 * @throws EmballageError COMPILE_FAILED, TOOLCHAIN_MISSING
 */
export async function ownCode(
  request: AssemblyRequest<'jvm'>,
  whole: FileSet,
  classPath: readonly { readonly path: string; readonly sha256: string }[],
): Promise<OwnCode> {
  const { sources, files, jars, leftOut } = sortOut(whole);
  const digests = new Map<string, string>();
  const digestOf = (file: PackedFile): string => {
    const known = request.knownDigests.get(file.path) ?? fileDigest(file.source);
    digests.set(file.path, known);
    return known;
  };
  const own: OwnJar[] = [];
  const toolchains: string[] = [];
  if (sources.size > 0) {
    const java = await compilerFor(request);
    own.push(await compiled(request, java, sources, classPath, digestOf));
    toolchains.push(`javac ${java.version}`);
  }
  if (files.size > 0) own.push(bundle(request, files, digestOf));
  for (const file of jars) own.push({ path: file.source, sha256: digestOf(file), shown: shownOf(file) });
  return { jars: own, files, sources, leftOut, toolchains, digests };
}

function shownOf(file: PackedFile): string {
  return file.origin.from === 'source' ? file.origin.at : file.path;
}

function sortOut(whole: FileSet): Pick<OwnCode, 'files' | 'sources' | 'leftOut'> & { jars: PackedFile[] } {
  const isLaidOut = whole.entries.some(({ path }) => SOURCE_ROOTS.some((root) => path.startsWith(root)));
  const files = new Map<string, PackedFile>();
  const sources = new Map<string, PackedFile>();
  const jars: PackedFile[] = [];
  const leftOut: LeftOut[] = [...whole.leftOut];
  for (const entry of whole.entries) {
    if (entry.kind !== 'file') continue;
    const path = pathInRoot(entry, isLaidOut);
    if (path === undefined) leftOut.push({ path: entry.path, by: 'compiler', kind: 'file' });
    else if (path.endsWith('.java')) {
      if (baseOf(path) !== 'module-info.java') sources.set(path, entry);
      leftOut.push({ path: entry.path, by: 'compiler', kind: 'file' });
    } else if (path.endsWith('.jar')) jars.push(entry);
    else files.set(path, entry);
  }
  return { files, sources, jars, leftOut };
}

/** @returns undefined for what is only for building */
function pathInRoot({ path, reason }: PackedEntry, isLaidOut: boolean): string | undefined {
  if (path === 'pom.xml') return undefined;
  if (!isLaidOut) return path;
  const root = SOURCE_ROOTS.find((one) => path.startsWith(one));
  return root === undefined ? (reason.why === 'kept' ? path : undefined) : path.slice(root.length);
}

async function compilerFor({ machine, spec }: AssemblyRequest<'jvm'>): Promise<JavaRuntime> {
  const wanted = Number(spec.runtime.version);
  const javas = await javasOf(machine);
  const found = chooseCompiler(javas, wanted);
  if (found !== undefined) return found;
  const [best] = javas.filter(({ compiler }) => compiler !== undefined);
  throw new EmballageError('TOOLCHAIN_MISSING', {
    doing: `compiling ${spec.name}`,
    expected: `a Java compiler of version ${String(wanted)} or newer`,
    found: best === undefined ? 'none on this machine' : `only ${best.version}`,
    mend: 'install a JDK, such as Debian’s default-jdk-headless, or build the classes elsewhere and name their folder as `source`',
  });
}

async function compiled(
  { project, spec }: AssemblyRequest<'jvm'>,
  java: JavaRuntime,
  sources: ReadonlyMap<string, PackedFile>,
  classPath: readonly { readonly path: string; readonly sha256: string }[],
  digestOf: (file: PackedFile) => string,
): Promise<OwnJar> {
  const release = Number(spec.runtime.version);
  const { processors } = spec.byLanguage;
  const key = contentDigest(
    JSON.stringify([
      java.version,
      compilerFlags(release, processors),
      classPath.map(({ sha256 }) => sha256),
      [...sources].map(([path, file]) => [path, digestOf(file)]),
    ]),
  );
  const folder = project.state.folder(KEPT.classes);
  const path = join(folder, `${key}.jar`);
  const shown = `classes of ${spec.name}`;
  const { shared } = project.state;
  if (existsSync(path) || (await shared.fetch('classes', key, { jar: path })))
    return { path, sha256: fileDigest(path), shown };
  mkdirSync(folder, { recursive: true });
  const scratch = mkdtempSync(join(folder, '.javac-'));
  try {
    const target = join(scratch, 'classes');
    mkdirSync(target);
    const byPath = new Map([...sources.values()].map((file) => [file.source, shownOf(file)]));
    await compileJava({
      java,
      release,
      processors,
      target,
      scratch,
      sources: [...sources.values()].map(({ source }) => source),
      classPath: classPath.map((one) => one.path),
      shown: (file) => byPath.get(file) ?? file,
    });
    writeStoredZip(path, filesBelow(target));
    shared.offer('classes', key, { jar: path });
  } finally {
    rmSync(scratch, { recursive: true, force: true });
  }
  return { path, sha256: fileDigest(path), shown };
}

function bundle(
  { project, spec }: AssemblyRequest<'jvm'>,
  files: ReadonlyMap<string, PackedFile>,
  digestOf: (file: PackedFile) => string,
): OwnJar {
  const key = contentDigest(JSON.stringify([...files].map(([path, file]) => [path, digestOf(file)])));
  const path = project.state.file(KEPT.classes, `${key}.files.jar`);
  if (!existsSync(path))
    writeStoredZip(
      path,
      [...files].map(([name, file]) => ({ name, source: file.source })),
    );
  return { path, sha256: fileDigest(path), shown: `files of ${spec.name}` };
}
