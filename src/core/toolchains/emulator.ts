/** Finds what runs programs for another processor here: an emulator, and the C library that they load. */
import { existsSync } from 'node:fs';
import type { Arch } from '../sheet';
import { programsNamed } from './programs';

export interface Emulator {
  readonly arch: Arch;
  /** Absolute path. */
  readonly path: string;
  /** Folder in which the C library of that processor lies, laid out as a system; undefined where none is here. */
  readonly sysroot?: string;
}

const NAMES: Readonly<Record<Arch, RegExp>> = {
  x86_64: /^qemu-x86_64(?:-static)?$/,
  arm64: /^qemu-aarch64(?:-static)?$/,
};
/** Where Debian's cross packages put the C library. */
const SYSROOTS: Readonly<Record<Arch, string>> = {
  x86_64: '/usr/x86_64-linux-gnu',
  arm64: '/usr/aarch64-linux-gnu',
};
export const SYSROOT_PACKAGES: Readonly<Record<Arch, string>> = {
  x86_64: 'libc6-amd64-cross',
  arm64: 'libc6-arm64-cross',
};

/** @param searchPath the PATH to look through */
export function findEmulators(searchPath: string): Emulator[] {
  return (['x86_64', 'arm64'] as const).flatMap((arch) => {
    const [path] = programsNamed(NAMES[arch], searchPath);
    const sysroot = SYSROOTS[arch];
    return path === undefined ? [] : [{ arch, path, ...(existsSync(`${sysroot}/lib`) && { sysroot }) }];
  });
}
