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
  /** Whether this system has the C library of that processor in its own folders, as one of its architectures. */
  readonly isOfSystem: boolean;
}

const NAMES: Readonly<Record<Arch, RegExp>> = {
  x86_64: /^qemu-x86_64(?:-static)?$/,
  arm64: /^qemu-aarch64(?:-static)?$/,
};
/** The loaders, by the names that the psABI of each processor gives them. */
const LOADERS: Readonly<Record<Arch, string>> = {
  x86_64: '/lib64/ld-linux-x86-64.so.2',
  arm64: '/lib/ld-linux-aarch64.so.1',
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
    return emulator.sysroot === undefined && !emulator.isOfSystem
      ? [{ what: `the C library of ${arch}`, mend: `install Debian’s \`${SYSROOT_PACKAGES[arch]}\`` }]
      : [];
  });
}

/** @param searchPath the PATH to look through */
export function findEmulators(searchPath: string): Emulator[] {
  return ARCHITECTURES.flatMap((arch) => {
    const [path] = programsNamed(NAMES[arch], searchPath);
    const sysroot = SYSROOTS[arch];
    const isOfSystem = existsSync(LOADERS[arch]);
    return path === undefined ? [] : [{ arch, path, isOfSystem, ...(existsSync(`${sysroot}/lib`) && { sysroot }) }];
  });
}
