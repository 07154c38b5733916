/** Chooses the compilers for a target, as the sheet asks, and says what to install where there are none. */
import semver from 'semver';
import { EmballageError } from '../../../base/errors';
import { listed } from '../../../base/text';
import type { Arch, FunctionSpec } from '../../../sheet';
import { libcOf, type Libc } from '../../../project/destination-runtime';
import type { Project } from '../../../project/targets';
import type { Machine } from '../../../toolchains/machine';
import { C_PACKAGES, cCompilersOf, chooseC, type CCompiler } from './c-compilers';
import type { CompiledId, WantedToolchain } from '../own';

export interface Wanted<Id extends CompiledId = CompiledId> {
  readonly project: Project;
  readonly spec: FunctionSpec<Id>;
  readonly arch: Arch;
  readonly machine: Machine;
}

/** Whether a version is one that the sheet asks for. */
export function fitsToolchain(wanted: WantedToolchain | undefined, version: string): boolean {
  const range = wanted?.range;
  return range === undefined || semver.satisfies(semver.coerce(version) ?? '0.0.0', range);
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
  const all = await cCompilersOf(machine);
  const libc = libcOf(wanted.project, spec);
  const asked = isLinker ? undefined : spec.byLanguage.toolchain;
  const isAsked = (one: CCompiler): boolean =>
    asked === undefined || (one.compiler === asked.compiler && fitsToolchain(asked, one.version));
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
  throw missingCompiler(wanted, what, here, `install Debian’s \`${packageFor(wanted, libc, isCxx)}\``);
}

function packageFor({ arch, machine }: Wanted, libc: Libc, isCxx: boolean): string {
  if (libc === 'musl') return 'musl-tools';
  const name = arch === machine.arch ? 'gcc' : C_PACKAGES[arch];
  return isCxx ? name.replace('gcc', 'g++') : name;
}

/** @param here what is there instead */
export function missingCompiler(
  { spec, arch }: Wanted,
  language: string,
  here: readonly string[],
  mend: string,
): EmballageError {
  const asked = spec.byLanguage.toolchain;
  return new EmballageError('TOOLCHAIN_MISSING', {
    doing: `compiling ${spec.name} for ${arch}`,
    expected: `a compiler of ${language}${asked === undefined ? '' : `, \`${asked.text}\``}`,
    found: here.length === 0 ? 'none on this machine' : `only ${listed([...new Set(here)])}`,
    mend: asked !== undefined && here.length > 0 ? `${mend}, or correct \`toolchain\`` : mend,
  });
}
