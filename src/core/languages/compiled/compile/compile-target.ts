/** The executable of one target: compiled, stripped, and kept by everything that it was made of. */
import { chmodSync, existsSync, mkdirSync, readFileSync, renameSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { isInside } from '../../../base/paths';
import { contentDigest, fileDigest } from '../../../disk/digest';
import { withFileSource, type FileSource } from '../../../disk/file-source';
import { FileSink, guarded, writeWhole } from '../../../disk/write';
import { type Piece, planStrip, type Strip } from '../../../formats/elf';
import { PROGRAM_MODE, type SettingRead } from '../../../fileset/model';
import { STATE_FOLDER } from '../../../fileset/selection';
import { inputsText } from '../../../project/inputs';
import type { Compiled, CompiledLanguage, CompileRequest, Executable, Plan } from '../compiled-language';
import { filesReadInputs, noteExtraFiles } from './files-read';
import { isAmong } from './files';
import { KEPT } from '../caches';
import type { CompiledId } from '../own';
import { readSourceSettings } from '../source-settings';

type Kept = Omit<Executable, 'source' | 'toolchains'>;

/** @throws EmballageError TOOLCHAIN_MISSING, COMPILER_FAILED, SOURCE_UNPACKABLE, REQUIREMENTS_INVALID */
export async function compileTarget<Id extends CompiledId>(
  language: CompiledLanguage<Id>,
  request: CompileRequest<Id>,
): Promise<Executable> {
  const plan = await language.plan(request);
  const before = keyOf(language, request, plan.identity);
  const { shared } = request.project.state;
  const isOwn = existsSync(pathOf(request, before));
  if (!isOwn && (await shared.fetch('executable', before, filesOf(request, before))))
    chmodSync(pathOf(request, before), PROGRAM_MODE);
  const known = kept(request, before);
  if (known !== undefined) return { ...known, toolchains: plan.toolchains };
  rmSync(request.scratch, { recursive: true, force: true });
  guarded(request.scratch, () => mkdirSync(request.scratch, { recursive: true }));
  try {
    const compiled = await plan.run();
    noteExtraFiles(request.project, request.spec, compiled.read);
    const after = keyOf(language, request, plan.identity);
    const made = await keep(language, request, after, compiled);
    shared.offer('executable', after, filesOf(request, after));
    return { ...made, toolchains: plan.toolchains };
  } finally {
    rmSync(request.scratch, { recursive: true, force: true });
  }
}

function keyOf<Id extends CompiledId>(
  language: CompiledLanguage<Id>,
  { project, spec, arch, files, packages, epochSeconds }: CompileRequest<Id>,
  identity: Plan['identity'],
): string {
  const inputs = filesReadInputs(project, spec, (path) => isAmong(language.files, path));
  const { byLanguage: own, name, entry } = spec;
  return contentDigest(
    JSON.stringify([
      ...[identity, own, name, entry.file, arch, epochSeconds],
      files.map(({ path, sha256 }) => [path, sha256]),
      packages.map(({ sha256 }) => sha256),
      inputsText(project, inputs),
    ]),
  );
}

function pathOf({ project }: CompileRequest, key: string): string {
  return project.state.file(KEPT.executables, `${key}.bin`);
}

function filesOf(request: CompileRequest, key: string): { readonly program: string; readonly note: string } {
  const program = pathOf(request, key);
  return { program, note: `${program}.json` };
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

async function keep<Id extends CompiledId>(
  language: CompiledLanguage<Id>,
  request: CompileRequest<Id>,
  key: string,
  { executable, read, aside = [] }: Compiled,
): Promise<Kept & { source: string }> {
  const source = pathOf(request, key);
  const { project, spec } = request;
  const folder = join(project.root, spec.source);
  const note: Kept = {
    ...(await writeStripped(executable, source, spec.byLanguage.strip)),
    read: read.flatMap((path) => (isInside(folder, path) ? [path.slice(folder.length + 1)] : [])).sort(),
    settings: readSettings(language, request, without(read, aside)),
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

function without(paths: readonly string[], others: readonly string[]): string[] {
  const left = new Set(others);
  return paths.filter((path) => !left.has(path));
}

const MAX_SOURCE_BYTES = 4 * 1024 * 1024;

/** What the function’s own source says of settings. */
function readSettings<Id extends CompiledId>(
  { settings }: CompiledLanguage<Id>,
  { project }: CompileRequest<Id>,
  read: readonly string[],
): SettingRead[] {
  const own = [...new Set(read)]
    .filter((path) => isInside(project.root, path) && !/[/\\]vendor[/\\]/.test(path))
    // What was fetched for it is somebody else's.
    .filter((path) => !isInside(join(project.root, STATE_FOLDER), path))
    .sort();
  return own.flatMap((path) => {
    const file = path.slice(project.root.length + 1);
    if (!settings.files.test(path) || !existsSync(path)) return [];
    const text = readFileSync(path);
    if (text.length > MAX_SOURCE_BYTES) return [];
    return readSourceSettings(text.toString('utf8'), settings).map((one) => ({ ...one, file }));
  });
}
