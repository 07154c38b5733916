/** The executable of one target: compiled, stripped, and kept by everything that it was made of. */
import { chmodSync, existsSync, mkdirSync, readFileSync, renameSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { isInside } from '../../base/paths';
import { contentDigest, fileDigest } from '../../disk/digest';
import { withFileSource, type FileSource } from '../../disk/file-source';
import { FileSink, guarded, writeWhole } from '../../disk/write';
import { type Piece, planStrip, type Strip } from '../../formats/elf';
import { readSourceSettings } from '.';
import { PROGRAM_MODE, type SettingRead } from '../../fileset/model';
import type { LockedPackage } from '../../project/lockfile';
import type { Wanted } from './choose-compiler';
import { extraFiles, extraNeighbours, noteExtraFiles } from './files-read';

export interface CompileRequest extends Wanted {
  /** The files of the source folder, relative to it, with their SHA-256. */
  readonly files: readonly { readonly path: string; readonly sha256: string }[];
  readonly packages: readonly LockedPackage[];
  /** Absolute path of a package’s file, verified. */
  readonly fetched: (sha256: string, file: string) => Promise<string>;
  /** Absolute paths: an empty folder for this run, one that stays for the function, and that of the tool. */
  readonly scratch: string;
  readonly state: string;
  readonly stateRoot: string;
  readonly epochSeconds: number;
  readonly jobs: number;
  readonly doing: string;
  /** What messages say in place of paths of this machine. */
  readonly shown: (line: string) => string;
}

/** What a compiler made. Absolute paths. */
export interface Compiled {
  readonly executable: string;
  /** The files that it read. */
  readonly read: readonly string[];
}

export interface Executable {
  /** Absolute path. */
  readonly source: string;
  readonly size: number;
  readonly sha256: string;
  /** Files of the source folder that the compiler read, relative to it. */
  readonly read: readonly string[];
  readonly settings: readonly SettingRead[];
  readonly toolchains: readonly string[];
}

type Kept = Omit<Executable, 'source' | 'toolchains'>;

/** Changes with how executables are made of the same source. */
const MADE_BY = 'native/1';

/** @throws EmballageError TOOLCHAIN_MISSING, COMPILER_FAILED, SOURCE_UNPACKABLE, REQUIREMENTS_INVALID */
export async function compileTarget(request: CompileRequest): Promise<Executable> {
  const plan = await planFor(request);
  const known = kept(request, keyOf(request, plan.identity));
  if (known !== undefined) return { ...known, toolchains: plan.toolchains };
  rmSync(request.scratch, { recursive: true, force: true });
  guarded(request.scratch, () => mkdirSync(request.scratch, { recursive: true }));
  try {
    const compiled = await plan.run();
    noteExtraFiles(request.project, request.spec, compiled.read);
    const made = await keep(request, keyOf(request, plan.identity), compiled);
    return { ...made, toolchains: plan.toolchains };
  } finally {
    rmSync(request.scratch, { recursive: true, force: true });
  }
}

interface Plan {
  readonly toolchains: readonly string[];
  /** Everything about the compiler that its output depends on. */
  readonly identity: readonly unknown[];
  readonly run: () => Promise<Compiled>;
}

async function planFor(request: CompileRequest): Promise<Plan> {
  const { language } = request.spec.runtime;
  if (language === 'rust') return (await import('../rust/build')).planRust(request);
  if (language === 'go') return (await import('../go/build')).planGo(request);
  return (await import('../c/build')).planC(request);
}

function keyOf(
  { project, spec, arch, files, packages, epochSeconds }: CompileRequest,
  identity: Plan['identity'],
): string {
  const extra = extraFiles(project, spec).map((path) => {
    const absolute = join(project.root, path);
    return [path, existsSync(absolute) ? fileDigest(absolute) : ''];
  });
  const { native, name, entry } = spec;
  return contentDigest(
    JSON.stringify([
      MADE_BY,
      ...[identity, native, name, entry.file, arch, epochSeconds],
      files.map(({ path, sha256 }) => [path, sha256]),
      packages.map(({ sha256 }) => sha256),
      ...[extra, extraNeighbours(project, spec)],
    ]),
  );
}

function pathOf({ stateRoot }: CompileRequest, key: string): string {
  return join(stateRoot, 'compiled', `${key}.bin`);
}

function kept(request: CompileRequest, key: string): (Kept & { source: string }) | undefined {
  const source = pathOf(request, key);
  try {
    const note = JSON.parse(readFileSync(`${source}.json`, 'utf8')) as Kept;
    return fileDigest(source) === note.sha256 ? { ...note, source } : undefined;
  } catch {
    // Not made yet, or not whole.
    return undefined;
  }
}

async function keep(
  request: CompileRequest,
  key: string,
  { executable, read }: Compiled,
): Promise<Kept & { source: string }> {
  const source = pathOf(request, key);
  const { project, spec } = request;
  const folder = join(project.root, spec.source);
  const note: Kept = {
    ...(await writeStripped(executable, source, spec.native?.strip ?? 'all')),
    read: read.flatMap((path) => (isInside(folder, path) ? [path.slice(folder.length + 1)] : [])).sort(),
    settings: readSettings(request, read),
  };
  writeWhole(`${source}.json`, JSON.stringify(note), source);
  return { ...note, source };
}

/** Writes an executable as the sheet wants it stripped; what is taken out is not read. */
export async function writeStripped(
  from: string,
  to: string,
  strip: Strip,
): Promise<{ readonly size: number; readonly sha256: string }> {
  return withFileSource(from, from, (source) => {
    const plan = strip === 'none' ? undefined : planStrip(source, strip);
    const { pieces, size } = plan ?? { pieces: [{ at: 0, length: source.size }], size: source.size };
    const sink = new FileSink(to, to);
    try {
      for (const piece of pieces) appendPiece(sink, source, piece);
      const sha256 = sink.close();
      guarded(to, () => {
        chmodSync(sink.path, PROGRAM_MODE);
        renameSync(sink.path, to);
      });
      return { size, sha256 };
    } catch (error) {
      sink.discard();
      throw error;
    }
  });
}

const CHUNK_BYTES = 512 * 1024;

function appendPiece(sink: FileSink, source: FileSource, piece: Piece): void {
  if (piece instanceof Uint8Array) {
    sink.append(piece);
    return;
  }
  const chunk = Buffer.allocUnsafe(Math.min(CHUNK_BYTES, piece.length));
  for (let done = 0; done < piece.length; done += CHUNK_BYTES) {
    const part = chunk.subarray(0, Math.min(CHUNK_BYTES, piece.length - done));
    source.readInto(piece.at + done, part);
    sink.append(part);
  }
}

const MAX_SOURCE_BYTES = 4 * 1024 * 1024;

/** What the function’s own source says of settings. */
function readSettings({ project, spec }: CompileRequest, read: readonly string[]): SettingRead[] {
  const own = [...new Set(read)]
    .filter((path) => isInside(project.root, path) && !/[/\\]vendor[/\\]/.test(path))
    .sort();
  return own.flatMap((path) => {
    const file = path.slice(project.root.length + 1);
    if (!/\.(?:rs|go|c|cc|cpp|cxx|C|h|hh|hpp|hxx)$/.test(path) || !existsSync(path)) return [];
    const text = readFileSync(path);
    if (text.length > MAX_SOURCE_BYTES) return [];
    return readSourceSettings(text.toString('utf8'), spec.runtime.language).map((one) => ({ ...one, file }));
  });
}
