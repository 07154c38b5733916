/** The compiled files of an artifact: each is unpacked and read once for all rules that ask. */
import { debugBytes, readElfOrFault, readProperties, type ElfFile, type ElfProperties } from '../formats/elf';
import { describeElf, readNative, type NativeInfo, type NativeReading } from '../formats/native';
import type { FunctionFacts, Subject } from './rule';

/** The largest compiled file that is read. */
export const MAX_NATIVE_BYTES = 1024 * 1024 * 1024;
/** What compiled files are called; programs without an ending are looked into as well when they may be executed. */
const NATIVE_NAME = /\.(?:so(?:\.[\d.]+)?|node|o|a|dylib|dll|wasm)$/;

/** A sound ELF file. */
export interface NativeFile {
  readonly path: string;
  readonly elf: ElfFile;
  readonly properties: ElfProperties;
  /** Bytes of sections that only debuggers read. */
  readonly debugBytes: number;
}

interface Read {
  readonly files: readonly NativeFile[];
  readonly readings: readonly { readonly path: string; readonly reading: NativeReading }[];
}

const read = new WeakMap<Subject, Read>();

/** The sound ELF files of an artifact, read once for all rules. */
export function nativeFiles(subject: Subject): readonly NativeFile[] {
  return readAll(subject).files;
}

/** Compiled files of every format, damaged ones too. */
export function nativeReadings(subject: Subject): Read['readings'] {
  return readAll(subject).readings;
}

function readAll(subject: Subject): Read {
  const known = read.get(subject);
  if (known !== undefined) return known;
  const files: NativeFile[] = [];
  const readings: { path: string; reading: NativeReading }[] = [];
  for (const { path, kind, mode } of subject.entries) {
    if (kind !== 'file' || !(NATIVE_NAME.test(path) || isProgram(path, mode))) continue;
    const bytes = subject.readBytes(path, MAX_NATIVE_BYTES);
    if (bytes === undefined) continue;
    const elf = readElfOrFault(bytes);
    const reading = 'fault' in elf ? readNative(bytes) : describeElf(elf, bytes[7]);
    if (reading !== undefined) readings.push({ path, reading });
    if (!('fault' in elf)) files.push({ path, elf, properties: readProperties(bytes), debugBytes: debugBytes(bytes) });
  }
  const all = { files, readings };
  read.set(subject, all);
  return all;
}

/** An artifact that does not say which files may be executed may hold programs all the same. */
function isProgram(path: string, mode: number | undefined): boolean {
  return !/\.[^/]+$/.test(path) && (mode === undefined || (mode & 0o111) !== 0);
}

/** Whether the function is an executable itself. */
export function isProgramItself({ view }: Subject): boolean {
  return view?.isProgram === true;
}

/** The executable of a function in native code. */
export function entryProgram(subject: Subject, { entry }: FunctionFacts): NativeFile | undefined {
  return nativeFiles(subject).find(({ path }) => path === entry?.file);
}

/** `ELF for arm64`, as shown to people. */
export function describeNative({ format, system, machines }: NativeInfo): string {
  const processors = machines.map(({ name }) => name).join(' and ');
  return `${format === 'ELF' && system === 'Linux' ? 'a file' : `a file for ${system === 'any' ? format : `${system} (${format})`}`}${processors === '' ? '' : `, ${processors}`}`;
}
