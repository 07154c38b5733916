/** Chooses the compilers for a target, as the sheet asks, and says what to install where there are none. */
import semver from 'semver';
import { EmballageError } from '../../base/errors';
import { listed } from '../../base/text';
import type { Arch, FunctionSpec, WantedToolchain } from '../../sheet';
import { C_PACKAGES, chooseC, type CCompiler } from './c-compilers';
import type { GoToolchain } from '../go/toolchain';
import type { Machine } from '../../toolchains/machine';
import { rustMend, rustTriple, type RustToolchain } from '../rust/toolchain';
import { runtimeOf } from '../../project/destination-runtime';
import type { Project } from '../../project/targets';

export type Libc = 'glibc' | 'musl';

export interface Wanted {
  readonly project: Project;
  readonly spec: FunctionSpec;
  readonly arch: Arch;
  readonly machine: Machine;
}

/** The C library that the destination has. */
export function libcOf({ project, spec }: Pick<Wanted, 'project' | 'spec'>): Libc {
  const runtime = runtimeOf(project, spec);
  return runtime?.musl !== undefined && runtime.glibc === undefined ? 'musl' : 'glibc';
}

/** Whether a version is one that the sheet asks for. */
export function fitsToolchain(wanted: WantedToolchain | undefined, version: string): boolean {
  const range = wanted?.range;
  return range === undefined || semver.satisfies(semver.coerce(version) ?? '0.0.0', range);
}

function fits(spec: FunctionSpec, version: string): boolean {
  return fitsToolchain(spec.native?.toolchain, version);
}

/** The first that has what all targets of the function need, or else what this one does. */
export async function chooseRust(wanted: Wanted): Promise<RustToolchain & { readonly triple: string }> {
  const { spec, arch, machine } = wanted;
  const all = (await machine.natives()).rust;
  const libc = libcOf(wanted);
  const triple = rustTriple(arch, libc);
  const right = all.filter(({ version }) => fits(spec, version));
  const has = (one: RustToolchain, of: Arch): boolean => one.targets.includes(rustTriple(of, libc));
  const chosen = right.find((one) => spec.archs.every((of) => has(one, of))) ?? right.find((one) => has(one, arch));
  if (chosen !== undefined) return { ...chosen, triple };
  const versions = (right.length > 0 ? right : all).map(({ version }) => `rustc ${version}`);
  if (right.length === 0) throw missing(wanted, 'Rust', versions, 'install Debian’s `rustc` and `cargo`, or rustup');
  throw new EmballageError('TOOLCHAIN_MISSING', {
    doing: `compiling ${spec.name} for ${arch}`,
    expected: `a Rust compiler with the standard library for ${triple}`,
    found: `${listed(versions)}, without it`,
    mend: rustMend(arch),
  });
}

export async function chooseGo(wanted: Wanted): Promise<GoToolchain> {
  const all = (await wanted.machine.natives()).go;
  const chosen = all.find(({ version }) => fits(wanted.spec, version));
  if (chosen !== undefined) return chosen;
  throw missing(
    wanted,
    'Go',
    all.map(({ version }) => `go ${version}`),
    'install it, Debian’s `golang-go` say, and put it on the PATH',
  );
}

export interface CWanted {
  readonly isStatic: boolean;
  readonly isCxx: boolean;
  /** Whether it only links what another compiler made; then the sheet’s `toolchain` is not about it. */
  readonly isLinker: boolean;
}

/** @throws EmballageError TOOLCHAIN_MISSING */
export async function chooseCCompiler(wanted: Wanted, { isStatic, isCxx, isLinker }: CWanted): Promise<CCompiler> {
  const { spec, arch, machine } = wanted;
  const all = (await machine.natives()).c;
  const libc = libcOf(wanted);
  const asked = isLinker ? undefined : spec.native?.toolchain;
  const isAsked = (one: CCompiler): boolean =>
    asked === undefined || (one.compiler === asked.compiler && fits(spec, one.version));
  const chosen = chooseC(
    all,
    { arch, libc },
    (one) => isAsked(one) && (!isStatic || one.hasStatic) && (!isCxx || one.cxx !== undefined),
  );
  if (chosen !== undefined) return chosen;
  const what = `${isCxx ? 'C++' : 'C'} for ${arch}${libc === 'musl' ? ' with musl' : ''}${isStatic ? ' with a C library to link in' : ''}`;
  const here = all.map(
    (one) => `${one.compiler} ${one.version} for ${one.arch}${one.libc === 'musl' ? ' with musl' : ''}`,
  );
  throw missing(wanted, what, here, `install Debian’s \`${packageFor(wanted, libc, isCxx)}\``);
}

function packageFor({ arch, machine }: Wanted, libc: Libc, isCxx: boolean): string {
  if (libc === 'musl') return 'musl-tools';
  const name = arch === machine.arch ? 'gcc' : C_PACKAGES[arch];
  return isCxx ? name.replace('gcc', 'g++') : name;
}

function missing({ spec, arch }: Wanted, language: string, here: readonly string[], mend: string): EmballageError {
  const asked = spec.native?.toolchain;
  return new EmballageError('TOOLCHAIN_MISSING', {
    doing: `compiling ${spec.name} for ${arch}`,
    expected: `a compiler of ${language}${asked === undefined ? '' : `, \`${asked.text}\``}`,
    found: here.length === 0 ? 'none on this machine' : `only ${listed([...new Set(here)])}`,
    mend: asked !== undefined && here.length > 0 ? `${mend}, or correct \`toolchain\`` : mend,
  });
}
