/** Finds the Rust compilers here, and for which processors each has a standard library. */
import { existsSync, readdirSync } from 'node:fs';
import { dirname, join } from 'node:path';
import type { Arch } from '../../sheet';
import { askProgram, programsWithNames } from '../../toolchains/programs';

export interface RustToolchain {
  /** `1.63.0`. */
  readonly version: string;
  /** Absolute paths of the compiler itself, not of something that chooses one, and of the package manager. */
  readonly path: string;
  readonly cargo?: string;
  /** The targets whose standard library is here, `aarch64-unknown-linux-gnu`. */
  readonly targets: readonly string[];
}

export function rustTriple(arch: Arch, libc: 'glibc' | 'musl'): string {
  return `${arch === 'arm64' ? 'aarch64' : 'x86_64'}-unknown-linux-${libc === 'musl' ? 'musl' : 'gnu'}`;
}

/** How to get a standard library that is missing. */
export function rustMend(arch: Arch): string {
  const debian = arch === 'arm64' ? 'arm64' : 'amd64';
  return `install its standard library: Debian’s \`rustc\`, \`cargo\` and \`libstd-rust-dev:${debian}\` (after \`dpkg --add-architecture ${debian}\`), or \`rustup target add ${rustTriple(arch, 'glibc')}\``;
}

/** @param searchPath the PATH to look through */
export async function findRust(searchPath: string): Promise<RustToolchain[]> {
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
