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
