/** The compiled files of an artifact. */
import { readElf, type ElfFile } from '../formats/elf';
import type { Subject } from './rule';

const MAX_BYTES = 1024 * 1024 * 1024;
/** What compiled files are called; programs without an ending are looked into as well when they may be executed. */
const NATIVE_NAME = /\.(?:so(?:\.[\d.]+)?|node|o|a)$/;

export interface NativeFile {
  readonly path: string;
  readonly elf: ElfFile;
}

const found = new WeakMap<Subject, readonly NativeFile[]>();

/** Read once for all rules that ask. */
export function nativeFiles(subject: Subject): readonly NativeFile[] {
  const known = found.get(subject);
  if (known !== undefined) return known;
  const files = subject.entries
    .filter(({ path, kind, mode }) => kind === 'file' && (NATIVE_NAME.test(path) || isProgram(path, mode)))
    .flatMap(({ path }) => {
      const bytes = subject.readBytes(path, MAX_BYTES);
      const elf = bytes === undefined ? undefined : readElf(bytes);
      return elf === undefined ? [] : [{ path, elf }];
    });
  found.set(subject, files);
  return files;
}

function isProgram(path: string, mode: number | undefined): boolean {
  return !/\.[^/]+$/.test(path) && ((mode ?? 0) & 0o111) !== 0;
}

/** Magic numbers of compiled files for other systems: Mach-O in both byte orders and for several processors, and PE. */
const FOREIGN: readonly (readonly [first: string, system: string])[] = [
  ['cffaedfe', 'macOS'],
  ['cefaedfe', 'macOS'],
  ['feedfacf', 'macOS'],
  ['cafebabe', 'macOS'],
  ['4d5a', 'Windows'],
];
const MAGIC_BYTES = 4;

/** Compiled files that no Linux loads, with the system that they are for. */
export function foreignFiles(subject: Subject): { readonly path: string; readonly system: string }[] {
  return subject.entries
    .filter(({ path, kind }) => kind === 'file' && /\.(?:node|so|dylib|dll)$/.test(path))
    .flatMap(({ path }) => {
      const magic = Buffer.from(subject.readBytes(path, MAX_BYTES)?.subarray(0, MAGIC_BYTES) ?? []).toString('hex');
      const system = FOREIGN.find(([first]) => magic.startsWith(first))?.[1];
      return system === undefined ? [] : [{ path, system }];
    });
}
