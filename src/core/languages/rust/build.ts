/** Compiles a function in Rust: with Cargo where there is a `Cargo.toml`, the file by itself otherwise. */
import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { EmballageError } from '../../base/errors';
import { namesIn } from '../../disk/names-in';
import { writeWhole } from '../../disk/write';
import { inTurn } from '../../base/in-turn';
import { folderOf, joinPath } from '../../base/paths';
import { listed } from '../../base/text';
import { readDepFile } from '../compiled/compile/dep-file';
import { readCargoLock } from './locks/cargo-lock';
import { PROFILE, profileSettings, sharedFolder, writeSettings } from './sources/cargo-settings';
import { cargoSettings } from './locks/needs';
import { cleanEnvironment, runCompiler } from '../../toolchains/run-compiler';
import type { CCompiler } from '../compiled/compile/c-compilers';
import { chooseRust, type RustToolchain } from './toolchain';
import type { CompileRequest as AnyCompileRequest, Compiled, Plan } from '../compiled/compiled-language';
import { findUpwards } from '../compiled/needs';
import { chooseCCompiler } from '../compiled/compile/choose-compiler';

type CompileRequest = AnyCompileRequest<'rust'>;

const EDITION = '2021';
interface Tools {
  readonly rust: RustToolchain & { readonly triple: string };
  readonly linker: CCompiler;
  readonly isStatic: boolean;
}

/**
 * How Rust is compiled: the call of the compiler, and what its output depends on.
 * @throws EmballageError TOOLCHAIN_MISSING
 */
export async function planRust(request: CompileRequest): Promise<Plan> {
  const rust = await chooseRust(request);
  const isStatic = request.spec.byLanguage.linkage === 'static';
  const linker = await chooseCCompiler(request, { isStatic, isCxx: false, isLinker: true });
  const tools = { rust, linker, isStatic };
  const manifest = findUpwards(request.project, request.spec.source, 'Cargo.toml');
  return {
    toolchains: [`rustc ${rust.version}`, `${linker.compiler} ${linker.version}`],
    identity: ['rust', rust.version, rust.triple, linker.compiler, linker.version, isStatic, EDITION, PROFILE],
    run: () => (manifest === undefined ? compileFile(request, tools) : compileWithCargo(request, tools, manifest)),
  };
}

/** Flags of the target’s code, the same on every machine. */
function targetFlags({ isStatic }: Tools, flags: readonly string[]): string[] {
  return ['-C', `target-feature=${isStatic ? '+' : '-'}crt-static`, '-C', 'link-arg=-Wl,--build-id=none', ...flags];
}

/** Flags that hold paths of this machine. They are kept from Cargo, which would put them into names. */
function localFlags({ project, scratch }: CompileRequest): string[] {
  const shared = sharedFolder(project);
  const unwinder = join(shared, 'unwinder');
  // The standard library asks for the compiler’s own shared library, which hosts need not have; this links it in.
  const script = join(unwinder, 'libgcc_s.so');
  // Whole at every moment: another function may be linking with it.
  writeWhole(script, 'INPUT(-lgcc_eh -lgcc)\n', script);
  return [
    `--remap-path-prefix=${project.root}=.`,
    `--remap-path-prefix=${scratch}=.`,
    `--remap-path-prefix=${shared}=.`,
    `--remap-path-prefix=${join(shared, 'crates')}=crates`,
    '-C',
    `link-arg=-L${unwinder}`,
  ];
}

async function compileFile(request: CompileRequest, tools: Tools): Promise<Compiled> {
  const { spec, project, scratch, doing, shown } = request;
  const folder = join(project.root, spec.source);
  const output = join(scratch, 'linked');
  const profile = ['opt-level=3', 'codegen-units=1', 'lto=fat', 'embed-bitcode=yes'].flatMap((one) => ['-C', one]);
  const args = [
    ...['--edition', EDITION, '--crate-type', 'bin', '--crate-name', spec.name.replaceAll('-', '_')],
    ...['--target', tools.rust.triple, '-C', `linker=${tools.linker.path}`, ...profile],
    ...targetFlags(tools, spec.byLanguage.flags),
    ...localFlags(request),
    // What it makes on the way would lie where it runs otherwise: in the source folder, for all processors at once.
    ...['--out-dir', scratch, '--emit', `dep-info=${output}.d,link=${output}`, spec.entry.file],
  ];
  const env = cleanEnvironment(scratch, request);
  await runCompiler({ program: tools.rust.path, args, cwd: folder, env, doing, shown });
  const read = readDepFile(readFileSync(`${output}.d`, 'utf8'));
  return { executable: output, read: read.map((path) => (path.startsWith('/') ? path : join(folder, path))) };
}

function compileWithCargo(request: CompileRequest, tools: Tools, manifest: string): Promise<Compiled> {
  const target = join(sharedFolder(request.project), 'target', request.arch);
  // One after the other: what a run forgets, another may be making.
  return inTurn(target, () => runCargo(request, tools, { manifest, target }));
}

async function runCargo(
  request: CompileRequest,
  tools: Tools,
  { manifest, target }: { readonly manifest: string; readonly target: string },
): Promise<Compiled> {
  const { spec, project, scratch, doing, shown } = request;
  const lock = findUpwards(project, spec.source, 'Cargo.lock');
  if (tools.rust.cargo === undefined || lock === undefined) throw withoutCargo(request, lock === undefined, manifest);
  const home = join(scratch, 'cargo');
  rmSync(home, { recursive: true, force: true });
  mkdirSync(home, { recursive: true });
  await writeSettings(request, home);
  const wrapper = writeWrapper(request);
  forgetOwn(target, readCargoLock(readFileSync(join(project.root, lock), 'utf8'), lock).own);
  const env = cargoEnvironment(request, tools, { home, target, wrapper });
  const run = (args: readonly string[]): Promise<string> =>
    runCompiler({
      program: tools.rust.cargo ?? '',
      args,
      cwd: home,
      env,
      doing,
      shown,
      onCompiling: request.onCompiling,
    });
  const path = ['--manifest-path', join(project.root, manifest)];
  const { package: name, program, features, defaultFeatures } = spec.byLanguage;
  const said = await run([
    ...['build', ...path, '--release', '--target', tools.rust.triple, '--offline', '--locked'],
    ...['--message-format', 'json-render-diagnostics', ...profileSettings(request, lock)],
    ...(name === undefined ? [] : ['--package', name]),
    ...(program === undefined ? ['--bins'] : ['--bin', program]),
    ...(features.length === 0 ? [] : ['--features', features.join(',')]),
    ...(defaultFeatures ? [] : ['--no-default-features']),
  ]);
  const executable = chooseExecutable(request, said);
  const about = await run([
    ...['metadata', ...path, '--offline', '--locked', '--format-version', '1'],
    ...['--filter-platform', tools.rust.triple],
  ]);
  const settings = [manifest, lock, ...cargoSettings(project, spec)].map((one) => join(project.root, one));
  const { mains, aside } = targetsOf(about);
  const read = [...readDepFile(readFileSync(`${executable}.d`, 'utf8')), ...settings, ...mains];
  const made = [scratch, sharedFolder(project)];
  return { executable, aside, read: read.filter((one) => !made.some((folder) => one.startsWith(folder))) };
}

function cargoEnvironment(
  request: CompileRequest,
  { rust, linker, isStatic }: Tools,
  { home, target, wrapper }: { readonly home: string; readonly target: string; readonly wrapper: string },
): Record<string, string> {
  const triple = rust.triple.replaceAll('-', '_');
  const flags = targetFlags({ rust, linker, isStatic }, request.spec.byLanguage.flags);
  // The same for all functions, or what is compiled for one would be compiled again for the next.
  const prefix = [request.project.root, sharedFolder(request.project)]
    .map((path) => flagWord(`-ffile-prefix-map=${path}=.`))
    .join(' ');
  return {
    ...cleanEnvironment(request.scratch, request),
    PATH: `${dirname(rust.path)}:/usr/local/bin:/usr/bin:/bin`,
    CARGO_HOME: home,
    CARGO_TARGET_DIR: target,
    CARGO_INCREMENTAL: '0',
    CARGO_TERM_COLOR: 'never',
    CARGO_NET_OFFLINE: 'true',
    RUSTC: rust.path,
    RUSTC_WRAPPER: wrapper,
    [`CARGO_TARGET_${triple.toUpperCase()}_LINKER`]: linker.path,
    [`CARGO_TARGET_${triple.toUpperCase()}_RUSTFLAGS`]: flags.join(' '),
    // For packages that compile C code.
    CC_SHELL_ESCAPED_FLAGS: '1',
    [`CC_${triple}`]: linker.path,
    [`CFLAGS_${triple}`]: `${prefix} -O2 -g0`,
    ...(linker.cxx !== undefined && { [`CXX_${triple}`]: linker.cxx, [`CXXFLAGS_${triple}`]: `${prefix} -O2 -g0` }),
  };
}

/**
 * What Cargo calls in place of the compiler: the compiler, with what only this machine knows. The value that tells
 * crates of the same name apart goes into names of symbols; Cargo makes it of absolute paths for packages beside each
 * other, so it is made here of what is the same everywhere.
 */
function writeWrapper(request: CompileRequest): string {
  const path = join(request.scratch, 'rustc.sh');
  const quoted = localFlags(request).map(shellQuoted);
  const lines = [
    '#!/bin/sh',
    'left=$#',
    'while [ "$left" -gt 0 ]; do',
    '  word=$1; shift; left=$((left - 1))',
    '  case $word in metadata=*) word="metadata=$CARGO_PKG_NAME-$CARGO_PKG_VERSION" ;; esac',
    '  set -- "$@" "$word"',
    'done',
    `exec "$@" ${quoted.join(' ')}`,
  ];
  writeFileSync(path, `${lines.join('\n')}\n`, { mode: 0o755 });
  return path;
}

/** Older versions of what compiles C for crates take quotes for a part of the flag. */
function flagWord(word: string): string {
  return /^[\w@%+=:,./-]+$/.test(word) ? word : shellQuoted(word);
}

function shellQuoted(word: string): string {
  return `'${word.replaceAll("'", "'\\''")}'`;
}

/** The project’s own packages are always compiled: Cargo goes by times of files, which copying and switching branches move. */
function forgetOwn(target: string, own: readonly string[]): void {
  const folders = [target, ...subfolders(target)].map((folder) => join(folder, 'release/.fingerprint'));
  for (const folder of folders)
    for (const name of namesIn(folder))
      if (own.some((one) => name.startsWith(`${one}-`) && /^[0-9a-f]{16}$/.test(name.slice(one.length + 1))))
        rmSync(join(folder, name), { recursive: true, force: true });
}

function subfolders(folder: string): string[] {
  return namesIn(folder).map((name) => join(folder, name));
}

interface Artifact {
  readonly executable: string;
  readonly name: string;
  readonly source: string;
}

/** The program that was made of the entry, or the only one. */
function chooseExecutable({ spec, project, doing }: CompileRequest, said: string): string {
  const made = said.split('\n').flatMap((line): Artifact[] => {
    if (!line.includes('"compiler-artifact"')) return [];
    const { executable, target } = JSON.parse(line) as {
      executable?: string | null;
      target?: { name?: string; src_path?: string };
    };
    return typeof executable === 'string'
      ? [{ executable, name: target?.name ?? '', source: target?.src_path ?? '' }]
      : [];
  });
  const entry = join(project.root, joinPath(spec.source, spec.entry.file));
  const chosen =
    made.find(({ name }) => name === spec.byLanguage.program) ??
    made.find(({ source }) => source === entry) ??
    (made.length === 1 ? made[0] : undefined);
  if (chosen !== undefined) return chosen.executable;
  throw new EmballageError('SOURCE_UNPACKABLE', {
    doing,
    where: spec.entry.file,
    expected: 'a program whose main file is the entry',
    found: made.length === 0 ? 'no program' : listed(made.map(({ name }) => name)),
    mend: 'correct `entry`, or name the program under `build`',
  });
}

/**
 * Manifests and main files of the project’s own packages: without one of them Cargo would not go on. Of some of them nothing
 * is in the program.
 */
function targetsOf(metadata: string): { readonly mains: string[]; readonly aside: string[] } {
  const { packages = [], workspace_root: root } = JSON.parse(metadata) as {
    packages?: readonly {
      source: string | null;
      manifest_path: string;
      targets: readonly { src_path: string; kind?: readonly string[] }[];
    }[];
    workspace_root: string;
  };
  const own = packages.filter(({ source }) => source === null);
  const targets = own.flatMap((one) => one.targets);
  const isAside = ({ kind = [] }: (typeof targets)[number]): boolean =>
    kind.some((one) => ['custom-build', 'test', 'example', 'bench'].includes(one));
  return {
    mains: [
      join(root, 'Cargo.toml'),
      ...own.map((one) => one.manifest_path),
      ...targets.map(({ src_path: path }) => path),
    ],
    aside: targets.filter(isAside).map(({ src_path: path }) => path),
  };
}

function withoutCargo({ doing }: CompileRequest, isUnlocked: boolean, manifest: string): EmballageError {
  if (!isUnlocked)
    return new EmballageError('TOOLCHAIN_MISSING', {
      doing,
      expected: 'Cargo beside the compiler',
      found: 'none',
      mend: 'install Debian’s `cargo`',
    });
  return new EmballageError('REQUIREMENTS_INVALID', {
    doing,
    where: joinPath(folderOf(manifest), 'Cargo.lock'),
    expected: 'the lock of the package: without it every build may take other crates',
    found: 'none',
    mend: 'run `cargo generate-lockfile` there, and commit the file',
  });
}
