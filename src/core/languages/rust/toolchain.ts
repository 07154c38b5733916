/** Finds the Rust compilers here, and for which processors each has a standard library. */
import { existsSync, readdirSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { EmballageError } from '../../base/errors';
import { listed } from '../../base/text';
import { libcOf } from '../../project/destination-runtime';
import { ARCHITECTURES, type Arch, type FunctionSpec } from '../../sheet';
import type { Machine } from '../../toolchains/machine';
import { askProgram, programsWithNames } from '../../toolchains/programs';
import { fitsToolchain, missingCompiler, type Wanted } from '../compiled/compile/choose-compiler';
import { lookUpCompilers } from '../compiled/running';
import type { FoundToolchains, LookedUp } from '../language';

export interface RustToolchain {
  /** `1.63.0`. */
  readonly version: string;
  /** Absolute paths of the compiler itself, not of something that chooses one, and of the package manager. */
  readonly path: string;
  readonly cargo?: string;
  /** The targets whose standard library is here, `aarch64-unknown-linux-gnu`. */
  readonly targets: readonly string[];
}

function rustTriple(arch: Arch, libc: 'glibc' | 'musl'): string {
  return `${arch === 'arm64' ? 'aarch64' : 'x86_64'}-unknown-linux-${libc === 'musl' ? 'musl' : 'gnu'}`;
}

/** How to get a standard library that is missing. */
function rustMend(arch: Arch): string {
  const debian = arch === 'arm64' ? 'arm64' : 'amd64';
  return `install its standard library: Debian’s \`rustc\`, \`cargo\` and \`libstd-rust-dev:${debian}\` (after \`dpkg --add-architecture ${debian}\`), or \`rustup target add ${rustTriple(arch, 'glibc')}\``;
}

/** The Rust compilers here, looked for once. */
export function rustOf(machine: Machine): Promise<RustToolchain[]> {
  return machine.once('rust', () => findRust(machine.searchPath));
}

/** @param searchPath the PATH to look through */
async function findRust(searchPath: string): Promise<RustToolchain[]> {
  const found = await Promise.all([...programsWithNames(/^rustc$/, searchPath).values()].map(look));
  const byPath = new Map(found.flatMap((one) => (one === undefined ? [] : [[one.path, one] as const])));
  return [...byPath.values()];
}

async function look(found: string): Promise<RustToolchain | undefined> {
  const [about, root] = await Promise.all([askProgram(found, ['-vV']), askProgram(found, ['--print', 'sysroot'])]);
  const [, version] = /^release: (\d+\.\d+\.\d+\S*)$/m.exec(about ?? '') ?? [];
  const sysroot = root?.trim();
  if (version === undefined || sysroot === undefined) return undefined;
  const own = join(sysroot, 'bin/rustc');
  const path = existsSync(own) ? own : found;
  const cargo = [join(dirname(path), 'cargo'), join(dirname(found), 'cargo')].find((one) => existsSync(one));
  return { version, path, ...(cargo !== undefined && { cargo }), targets: targetsIn(join(sysroot, 'lib/rustlib')) };
}

function targetsIn(folder: string): string[] {
  const namesIn = (path: string): string[] => {
    try {
      return readdirSync(path);
    } catch {
      return [];
    }
  };
  return namesIn(folder)
    .filter((triple) => namesIn(join(folder, triple, 'lib')).some((name) => /^libstd-.*\.rlib$/.test(name)))
    .sort();
}

/** The first that has what all targets of the function need, or else what this one does. */
export async function chooseRust(wanted: Wanted<'rust'>): Promise<RustToolchain & { readonly triple: string }> {
  const { spec, arch, machine } = wanted;
  const all = await rustOf(machine);
  const libc = libcOf(wanted.project, spec);
  const triple = rustTriple(arch, libc);
  const right = all.filter(({ version }) => fitsToolchain(spec.byLanguage.toolchain, version));
  const has = (one: RustToolchain, of: Arch): boolean => one.targets.includes(rustTriple(of, libc));
  const chosen = right.find((one) => spec.archs.every((of) => has(one, of))) ?? right.find((one) => has(one, arch));
  if (chosen !== undefined) return { ...chosen, triple };
  const versions = (right.length > 0 ? right : all).map(({ version }) => `rustc ${version}`);
  if (right.length === 0)
    throw missingCompiler(wanted, 'Rust', versions, 'install Debian’s `rustc` and `cargo`, or rustup');
  throw new EmballageError('TOOLCHAIN_MISSING', {
    doing: `compiling ${spec.name} for ${arch}`,
    expected: `a Rust compiler with the standard library for ${triple}`,
    found: `${listed(versions)}, without it`,
    mend: rustMend(arch),
  });
}

function archsOf({ targets }: RustToolchain): Arch[] {
  return ARCHITECTURES.filter((arch) => targets.includes(rustTriple(arch, 'glibc')));
}

/** The Rust that this machine has, as `toolchains` shows it. */
export async function foundRust(machine: Machine): Promise<FoundToolchains> {
  const rust = await rustOf(machine);
  const rows = rust.map((one) => ({
    name: 'rust',
    version: one.version,
    path: one.path,
    does: 'compiles for',
    what: listed(archsOf(one)) || 'no Linux here',
  }));
  const missing =
    rust.length === 0
      ? [{ what: 'Rust', mend: 'install Debian’s `rustc` and `cargo`' }]
      : ARCHITECTURES.filter((arch) => !rust.some((one) => archsOf(one).includes(arch))).map((arch) => ({
          what: `Rust for ${arch}`,
          mend: rustMend(arch),
        }));
  return { rows, document: { rust }, missing };
}

/** Whether the Rust that a function wants is here, and what to do where it is not. */
export async function lookUpRust(machine: Machine, spec: FunctionSpec<'rust'>): Promise<LookedUp> {
  const right = (await rustOf(machine)).filter(({ version }) => fitsToolchain(spec.byLanguage.toolchain, version));
  return lookUpCompilers(spec, (arch) => right.find((one) => archsOf(one).includes(arch))?.path);
}
