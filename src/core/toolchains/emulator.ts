/** Finds what runs programs for another processor here: an emulator, and the C library that they load. */
import { existsSync } from 'node:fs';
import { ARCHITECTURES, type Arch } from '../sheet';
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

/** What cannot be run here for want of an emulator or a C library, and how to get it. */
export function missingEmulators(
  emulators: readonly Emulator[],
  own: Arch,
): { readonly what: string; readonly mend: string }[] {
  return ARCHITECTURES.filter((arch) => arch !== own).flatMap((arch) => {
    const emulator = emulators.find((one) => one.arch === arch);
    if (emulator === undefined) return [{ what: `running ${arch}`, mend: 'install Debian’s `qemu-user-static`' }];
    return emulator.sysroot === undefined
      ? [{ what: `the C library of ${arch}`, mend: `install Debian’s \`${SYSROOT_PACKAGES[arch]}\`` }]
      : [];
  });
}

/** @param searchPath the PATH to look through */
export function findEmulators(searchPath: string): Emulator[] {
  return ARCHITECTURES.flatMap((arch) => {
    const [path] = programsNamed(NAMES[arch], searchPath);
    const sysroot = SYSROOTS[arch];
    return path === undefined ? [] : [{ arch, path, ...(existsSync(`${sysroot}/lib`) && { sysroot }) }];
  });
}
