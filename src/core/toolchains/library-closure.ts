/** The shared libraries that programs need, as the loader of this machine would find them (ld.so(8)). */
import { existsSync, readdirSync, readFileSync, realpathSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { readElf, type ElfFile } from '../formats/elf';

export interface FoundLibrary {
  /** Name by which it is asked for, `libm.so.6`. */
  readonly name: string;
  /** Absolute path, links followed. */
  readonly path: string;
}

export interface Closure {
  /** Sorted by name. */
  readonly libraries: readonly FoundLibrary[];
  /** The program that loads them: the path by which it is named, and the file. */
  readonly loader?: { readonly name: string; readonly path: string };
  /** Names that were found nowhere, with the file that asks. */
  readonly missing: readonly { readonly name: string; readonly by: string }[];
}

export interface ClosureRequest {
  /** Absolute paths of programs and libraries. */
  readonly files: readonly string[];
  /** Folder in which the system for them lies; '' for this machine’s own. */
  readonly sysroot: string;
  /** Folders to look in before those of the system. */
  readonly folders?: readonly string[];
}

const MACHINE_FOLDERS: Readonly<Record<number, readonly string[]>> = {
  62: ['x86_64-linux-gnu'],
  183: ['aarch64-linux-gnu'],
};

/** Shared libraries that programs need, and those that these need, with where they lie. */
export function libraryClosure({ files, sysroot, folders = [] }: ClosureRequest): Closure {
  const found = new Map<string, FoundLibrary>();
  const missing: { name: string; by: string }[] = [];
  const open = [...files];
  let loader: Closure['loader'];
  for (let file = open.shift(); file !== undefined; file = open.shift()) {
    const elf = readElf(readFileSync(file));
    if (elf === undefined) continue;
    if (elf.interpreter !== undefined && loader === undefined) {
      const path = join(sysroot, elf.interpreter);
      if (existsSync(path)) loader = { name: elf.interpreter, path: realpathSync(path) };
    }
    for (const name of elf.needed) {
      if (found.has(name)) continue;
      const path = locate(name, elf, file, { sysroot, folders });
      if (path === undefined) missing.push({ name, by: file });
      else {
        found.set(name, { name, path });
        open.push(path);
      }
    }
  }
  const libraries = [...found.values()].sort((a, b) => (a.name < b.name ? -1 : 1));
  return { libraries, missing, ...(loader !== undefined && { loader }) };
}

function locate(
  name: string,
  elf: ElfFile,
  file: string,
  { sysroot, folders }: { readonly sysroot: string; readonly folders: readonly string[] },
): string | undefined {
  const own = [...elf.rpath, ...elf.runpath].map((path) => path.replace(/\$(?:ORIGIN|\{ORIGIN\})/g, dirname(file)));
  const system = systemFolders(elf.machine, sysroot);
  for (const folder of [...own, ...folders, ...system]) {
    const path = join(folder, name);
    if (!existsSync(path)) continue;
    const real = realpathSync(path);
    if (readElf(readFileSync(real))?.machine === elf.machine) return real;
  }
  return undefined;
}

const known = new Map<string, readonly string[]>();

function systemFolders(machine: number, sysroot: string): readonly string[] {
  const key = `${String(machine)} ${sysroot}`;
  const before = known.get(key);
  if (before !== undefined) return before;
  const names = MACHINE_FOLDERS[machine] ?? [];
  const folders = [
    ...names.flatMap((name) => [`/lib/${name}`, `/usr/lib/${name}`]),
    ...['/lib64', '/usr/lib64', '/lib', '/usr/lib'],
  ].map((folder) => join(sysroot, folder));
  const all = [...folders, ...(sysroot === '' ? configuredFolders() : [])];
  known.set(key, all);
  return all;
}

/** Folders that the system adds (ldconfig(8)). */
function configuredFolders(): string[] {
  try {
    return readdirSync('/etc/ld.so.conf.d')
      .sort()
      .flatMap((name) => readFileSync(join('/etc/ld.so.conf.d', name), 'utf8').split('\n'))
      .map((line) => line.trim())
      .filter((line) => line.startsWith('/'));
  } catch {
    // Not every system has them.
    return [];
  }
}
