/** Finds compilers of C and C++ here, and for which processors each can link programs. */
import { existsSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { baseOf } from '../../../base/paths';
import { ARCHITECTURES, type Arch } from '../../../sheet';
import type { Machine } from '../../../toolchains/machine';
import type { FoundToolchains } from '../../language';
import { askProgram, programsNamed } from '../../../toolchains/programs';

/** A compiler for one processor. */
export interface CCompiler {
  readonly compiler: 'gcc' | 'clang';
  /** `12.2.0`. */
  readonly version: string;
  readonly arch: Arch;
  readonly libc: 'glibc' | 'musl';
  /** Absolute path, and that of its sibling for C++ where there is one. */
  readonly path: string;
  readonly cxx?: string;
  /** Arguments that come first. */
  readonly args: readonly string[];
  /** Whether the C library can be linked in. */
  readonly hasStatic: boolean;
}

const NAMES =
  /^(?:(?:x86_64|aarch64)(?:-\w+)?-linux-(?:gnu|musl)-)?gcc(?:-\d+(?:\.\d+)?)?$|^musl-gcc$|^clang(?:-\d+(?:\.\d+)?)?$/;
const TRIPLES: Readonly<Record<Arch, string>> = { x86_64: 'x86_64-linux-gnu', arm64: 'aarch64-linux-gnu' };

/** The packages of Debian that bring what is missing. */
export const C_PACKAGES: Readonly<Record<Arch, string>> = {
  x86_64: 'gcc-x86-64-linux-gnu',
  arm64: 'gcc-aarch64-linux-gnu',
};

/** The compilers of C here, looked for once. */
export function cCompilersOf(machine: Machine): Promise<CCompiler[]> {
  return machine.once('c', () => findCCompilers(machine.searchPath));
}

/** @param searchPath the PATH to look through */
async function findCCompilers(searchPath: string): Promise<CCompiler[]> {
  const found = await Promise.all(programsNamed(NAMES, searchPath).map(look));
  return found.flat().sort((a, b) => (a.compiler === b.compiler ? 0 : a.compiler === 'gcc' ? -1 : 1));
}

/** A compiler with these properties; of several the first on the path, GCC before Clang. */
export function chooseC(
  compilers: readonly CCompiler[],
  wanted: { readonly arch: Arch; readonly libc: 'glibc' | 'musl' },
  fits: (compiler: CCompiler) => boolean = () => true,
): CCompiler | undefined {
  return compilers.find((one) => one.arch === wanted.arch && one.libc === wanted.libc && fits(one));
}

async function look(path: string): Promise<CCompiler[]> {
  const [machine = '', version = ''] = await Promise.all([
    askProgram(path, ['-dumpmachine']),
    askProgram(path, ['-dumpfullversion', '-dumpversion']),
  ]);
  if (!/^\d+\.\d+/.test(version.trim())) return [];
  const isClang = baseOf(path).startsWith('clang');
  const targets: (readonly [Arch, readonly string[]])[] = isClang
    ? [
        ['x86_64', [`--target=${TRIPLES.x86_64}`]],
        ['arm64', [`--target=${TRIPLES.arm64}`]],
      ]
    : [[machine.startsWith('aarch64') ? 'arm64' : 'x86_64', []]];
  const cxx = siblingForCxx(path);
  const libc = path.includes('musl') || machine.includes('musl') ? 'musl' : 'glibc';
  const compilers = targets.map(async ([arch, args]): Promise<CCompiler | undefined> => {
    const [start, library] = await Promise.all([fileOf(path, args, 'crt1.o'), fileOf(path, args, 'libc.a')]);
    if (start === undefined || (!isClang && !/^(?:aarch64|x86_64)/.test(machine))) return undefined;
    return {
      compiler: isClang ? 'clang' : 'gcc',
      version: version.trim(),
      arch,
      libc,
      path,
      args,
      hasStatic: library !== undefined,
      ...(cxx !== undefined && { cxx }),
    };
  });
  return (await Promise.all(compilers)).flatMap((one) => one ?? []);
}

/** The file of the C library that a compiler would link with. */
async function fileOf(path: string, args: readonly string[], name: string): Promise<string | undefined> {
  const answer = (await askProgram(path, [...args, `-print-file-name=${name}`]))?.trim() ?? '';
  return answer.startsWith('/') && existsSync(answer) ? answer : undefined;
}

function siblingForCxx(path: string): string | undefined {
  const name = baseOf(path)
    .replace(/^clang/, 'clang++')
    .replace(/gcc/, 'g++');
  const sibling = join(dirname(path), name);
  return existsSync(sibling) ? sibling : undefined;
}

/** As `toolchains` shows them. */
export async function foundC(machine: Machine): Promise<FoundToolchains> {
  const c = await cCompilersOf(machine);
  const rows = c.map((one) => {
    const more = [
      one.libc === 'musl' ? 'with musl' : '',
      one.cxx === undefined ? 'without C++' : '',
      one.hasStatic ? '' : 'dynamic only',
    ];
    const what = [one.arch, ...more.filter((text) => text !== '')].join(', ');
    return { name: one.compiler, version: one.version, path: one.path, does: 'compiles for', what };
  });
  const missing = ARCHITECTURES.filter((arch) => !c.some((one) => one.arch === arch)).map((arch) => ({
    what: `C for ${arch}`,
    mend: `install Debian’s \`${arch === machine.arch ? 'gcc' : C_PACKAGES[arch]}\``,
  }));
  return { rows, document: { c }, missing };
}
