/** The file set of one target of native code: its executable, and what lies beside it. */
import { lstatSync } from 'node:fs';
import { join } from 'node:path';
import { EmballageError } from '../../base/errors';
import { literalPattern, printable } from '../../base/text';
import { contentDigest, fileDigest } from '../../disk/digest';
import { withFileSource } from '../../disk/file-source';
import { stampOf } from '../../disk/stamp';
import { PROGRAM_MODE, type FileSet, type LeftOut, type PackedEntry, type PackedFile } from '../../fileset/model';
import { sortEntries } from '../../fileset/collect';
import { ET, readElfOrFault } from '../../formats/elf';
import { readNative } from '../../formats/native';
import { packageStore } from '../../project/user-packages';
import { DEFAULT_START, type Arch } from '../../sheet';
import type { PackageStore } from '../../sources';
import type { Assembly, AssemblyRequest } from '../language';
import { compileTarget, writeStripped } from './compile/compile-target';
import { runtimeOf } from '../../project/destination-runtime';
import type { CompiledLanguage, CompileRequest, Executable } from './compiled-language';
import { isAmong } from './compile/files';
import { KEPT } from './caches';
import type { CompiledId } from './own';

/** @param whole everything in the source folder */
export async function assembleExecutable<Id extends CompiledId>(
  language: CompiledLanguage<Id>,
  request: AssemblyRequest<Id>,
  whole: FileSet,
): Promise<Assembly> {
  const { spec, project } = request;
  const digests = new Map<string, string>();
  const digestOf = (file: PackedFile): string => {
    const known = request.knownDigests.get(file.path) ?? fileDigest(file.source);
    digests.set(file.path, known);
    return known;
  };
  const isCompiled = language.isSource(spec.entry.file);
  const executable = isCompiled
    ? await compileTarget(language, compileRequest(request, whole, digestOf))
    : await readyExecutable(request, whole, digestOf);
  const start = spec.form.isProgram === true ? spec.name : (runtimeOf(project, spec)?.start ?? DEFAULT_START);
  const { assets, leftOut } = sortOut(language, request, whole, { executable, start });
  const program: PackedFile = {
    path: start,
    kind: 'file',
    mode: PROGRAM_MODE,
    origin: isCompiled
      ? { from: 'generated', by: executable.toolchains.join(', ') }
      : { from: 'source', at: join(spec.source, entryFor(spec.entry.file, request.arch)) },
    reason: { why: 'entry' },
    source: executable.source,
    size: executable.size,
    stamp: stampOf(lstatSync(executable.source)),
    sha256: executable.sha256,
  };
  return {
    fileSet: { entries: sortEntries([program, ...assets]), leftOut },
    packages: request.packages,
    trimmed: [],
    overlaps: [],
    unseen: [],
    missing: [],
    modules: [],
    sourceDigests: digests,
    toolchains: executable.toolchains,
    hostEntry: { text: start, file: start, member: '' },
    settings: executable.settings,
  };
}

function compileRequest<Id extends CompiledId>(
  request: AssemblyRequest<Id>,
  whole: FileSet,
  digestOf: (file: PackedFile) => string,
): CompileRequest<Id> {
  const { project, spec, arch, packages, machine, jobs, epochSeconds, onCompiling } = request;
  const state = project.state.file(KEPT.work, spec.name);
  const scratch = join(state, `run-${arch}`);
  const store = packageStore(project);
  return {
    project,
    spec,
    arch,
    packages,
    machine,
    jobs,
    epochSeconds,
    state,
    scratch,
    onCompiling,
    files: whole.entries.flatMap((entry) =>
      entry.kind === 'file' ? [{ path: entry.path, sha256: digestOf(entry) }] : [],
    ),
    fetched: (sha256, file) => Promise.resolve(fetchedPath(store, spec.name, { sha256, file })),
    doing: `compiling ${spec.name} for ${arch}`,
    shown: (line) => line.replaceAll(`${scratch}/`, '').replaceAll(`${project.root}/`, ''),
  };
}

/** What a language locks is fetched when it is locked, never while it is built. */
function fetchedPath(store: PackageStore, name: string, { sha256, file }: { sha256: string; file: string }): string {
  const found = store.find(sha256);
  if (found !== undefined) return found.path;
  throw new EmballageError('LOCK_OUTDATED', {
    doing: `compiling ${name}`,
    where: printable(file),
    expected: 'the packages that the lock names, fetched',
    found: 'this one is not here',
    mend: `run \`emballage lock ${name}\``,
  });
}

/** The path of an executable that is there already, for one architecture. */
function entryFor(file: string, arch: Arch): string {
  return file.replaceAll('{arch}', arch);
}

async function readyExecutable<Id extends CompiledId>(
  { project, spec, arch }: AssemblyRequest<Id>,
  whole: FileSet,
  digestOf: (file: PackedFile) => string,
): Promise<Executable> {
  const path = entryFor(spec.entry.file, arch);
  const file = whole.entries.find((entry): entry is PackedFile => entry.kind === 'file' && entry.path === path);
  const shown = join(spec.source, path);
  const wrong = file === undefined ? 'nothing there' : await whyNoExecutable(file.source, shown);
  if (file === undefined || wrong !== undefined)
    throw new EmballageError('BINARY_INVALID', {
      doing: `taking the executable of ${spec.name}`,
      where: printable(shown),
      expected: `a Linux executable for ${arch}`,
      found: wrong ?? 'none',
      mend: 'build it first, or name the main source file as `entry`, so that it is compiled here',
    });
  const { strip } = spec.byLanguage;
  const made = project.state.file(KEPT.executables, `${contentDigest(`${digestOf(file)} ${strip}`)}.bin`);
  const written = await writeStripped(file.source, made, strip);
  return { source: made, ...written, read: [path], settings: [], toolchains: [] };
}

/** What a file is that is no executable of Linux; undefined for one. */
async function whyNoExecutable(path: string, shown: string): Promise<string | undefined> {
  return withFileSource(path, shown, (source) => {
    const start = Buffer.from(source.read(0, Math.min(80, source.size)));
    if (start.toString('latin1', 0, 2) === '#!')
      return `a script for ${printable(start.toString('latin1', 2).split('\n')[0]?.trim() ?? '')}`;
    const native = readNative(source);
    if (native === undefined) return source.size === 0 ? 'an empty file' : 'no compiled file at all';
    if ('fault' in native) return `a damaged ${native.format} file: ${native.fault}`;
    if (native.format !== 'ELF') return `a file for ${native.system} (${native.format})`;
    const elf = readElfOrFault(source);
    if ('fault' in elf || elf.type === ET.relocatable || native.kind === 'object')
      return 'an object file that is not linked yet';
    return native.kind === 'library' && elf.needed.length > 0 && elf.soname !== undefined
      ? 'a shared library, which cannot be started'
      : undefined;
  });
}

/** What of the source folder is packed beside the executable, and what is not. */
function sortOut<Id extends CompiledId>(
  language: CompiledLanguage<Id>,
  { spec }: AssemblyRequest<Id>,
  whole: FileSet,
  { executable, start }: { readonly executable: Executable; readonly start: string },
): { assets: PackedEntry[]; leftOut: LeftOut[] } {
  const wasRead = new Set(executable.read);
  const ready = new RegExp(`^${spec.entry.file.split('{arch}').map(literalPattern).join('(?:x86_64|arm64)')}$`);
  const assets: PackedEntry[] = [];
  const leftOut: LeftOut[] = [...whole.leftOut];
  for (const entry of whole.entries) {
    const isKept = entry.reason.why === 'kept';
    const forCompiler = wasRead.has(entry.path) || isAmong(language.files, entry.path);
    const by: LeftOut['by'] | undefined =
      spec.form.isProgram === true
        ? 'form'
        : entry.path === start || ready.test(entry.path) || (forCompiler && !isKept)
          ? 'compiler'
          : spec.trim === 'traced' && !isKept
            ? 'not-reached'
            : undefined;
    if (by === undefined) assets.push(entry);
    else if (entry.kind !== 'folder') leftOut.push({ path: entry.path, by, kind: 'file' });
  }
  return { assets, leftOut };
}
