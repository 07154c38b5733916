/**
 * Reads what an ELF file says of itself (System V ABI, gABI chapters 4 and 5; symbol versions per the LSB, "Symbol
 * Versioning"): the processor it is for, the libraries it needs, where they are looked for, and the versions of their
 * symbols.
 */
import { isRangeError } from '../../base/errors';
import { sourceOfBytes, stretchOf, type ByteSource } from '../byte-source';
import { Fields } from '../fields';
import { fileOffset, MAX_ENTRIES, PT, readHeader, readSegments, word, type ElfHeader, type Segment } from './header';

export interface ElfFile {
  readonly bits: 32 | 64;
  readonly littleEndian: boolean;
  /** e_machine. */
  readonly machine: number;
  /** e_type: 1 object, 2 executable, 3 shared object or position-independent executable. */
  readonly type: number;
  readonly segments: readonly Segment[];
  readonly interpreter?: string;
  /** The name by which others need it. */
  readonly soname?: string;
  readonly needed: readonly string[];
  /** Folders in which the loader looks for what is needed, `$ORIGIN/lib`; those of the older kind hold for its needs too. */
  readonly rpath: readonly string[];
  readonly runpath: readonly string[];
  /** Code that the loader has to write into (DT_TEXTREL). */
  readonly writesCode: boolean;
  /** Versions of symbols that are needed, by library: `libc.so.6` → `GLIBC_2.17`, … */
  readonly versions: ReadonlyMap<string, readonly string[]>;
}

export const MACHINES: Readonly<Record<number, string>> = {
  2: 'sparc',
  3: 'x86 (32 bit)',
  4: 'm68k',
  8: 'mips',
  15: 'hppa',
  20: 'powerpc',
  21: 'powerpc64',
  22: 's390x',
  40: 'arm (32 bit)',
  43: 'sparc64',
  50: 'ia64',
  62: 'x86_64',
  183: 'arm64',
  243: 'riscv',
  247: 'bpf',
  258: 'loongarch',
};

const DT = {
  needed: 1,
  strtab: 5,
  strsz: 10,
  soname: 14,
  rpath: 15,
  textrel: 22,
  runpath: 29,
  flags: 30,
  verneed: 0x6ffffffe,
  verneednum: 0x6fffffff,
};
const DF_TEXTREL = 4;
const MAX_PATH = 4096;

interface Dynamic {
  readonly tag: number;
  readonly value: number;
}

/** Undefined for what is no ELF file, or one whose tables lead outside it. */
export function readElf(bytes: Uint8Array | ByteSource): ElfFile | undefined {
  const read = readElfOrFault(bytes);
  return 'fault' in read ? undefined : read;
}

/** Like `readElf`, but says what is wrong. */
export function readElfOrFault(bytes: Uint8Array | ByteSource): ElfFile | { readonly fault: string } {
  try {
    return readWhole(bytes instanceof Uint8Array ? sourceOfBytes(bytes) : bytes);
  } catch (error) {
    if (isRangeError(error)) return { fault: (error as RangeError).message };
    throw error;
  }
}

function readWhole(source: ByteSource): ElfFile {
  const header = readHeader(source);
  const segments = readSegments(source, header);
  const interpreter = segments.find(({ type }) => type === PT.interpreter);
  const dynamic = readDynamic(source, header, segments);
  const strings = readStrings(source, header, segments, dynamic);
  const textsOf = (tag: number): string[] => dynamic.filter((d) => d.tag === tag).map((d) => strings.text(d.value));
  const valueOf = (tag: number): number => dynamic.find((d) => d.tag === tag)?.value ?? 0;
  const foldersOf = (tag: number): string[] => textsOf(tag).flatMap((text) => text.split(':').filter((f) => f !== ''));
  const [soname] = textsOf(DT.soname);
  return {
    bits: header.is64 ? 64 : 32,
    littleEndian: header.littleEndian,
    machine: header.machine,
    type: header.type,
    segments,
    ...(interpreter !== undefined && { interpreter: readInterpreter(source, interpreter) }),
    ...(soname !== undefined && { soname }),
    needed: textsOf(DT.needed),
    rpath: foldersOf(DT.rpath),
    runpath: foldersOf(DT.runpath),
    writesCode: dynamic.some(({ tag }) => tag === DT.textrel) || (valueOf(DT.flags) & DF_TEXTREL) !== 0,
    versions: readVersions(source, header, segments, { dynamic, strings }),
  };
}

function readInterpreter(source: ByteSource, { offset, fileSize }: Segment): string {
  return new Fields(stretchOf(source, offset, Math.min(fileSize, MAX_PATH)), true).text(0);
}

function readDynamic(source: ByteSource, header: ElfHeader, segments: readonly Segment[]): Dynamic[] {
  const segment = segments.find(({ type }) => type === PT.dynamic);
  // A file with its debugging information only keeps the header of the segment, not what was in it.
  if (segment === undefined || segment.fileSize === 0) return [];
  const width = header.is64 ? 16 : 8;
  const count = Math.min(Math.floor(segment.fileSize / width), MAX_ENTRIES);
  const fields = new Fields(stretchOf(source, segment.offset, count * width), header.littleEndian);
  const entries: Dynamic[] = [];
  for (let at = 0; at < count * width; at += width) {
    const tag = word(fields, header.is64, at);
    if (tag === 0) break;
    // Values are addresses, offsets and flags; those that are none of these may be larger than any offset.
    entries.push({ tag, value: WANTED.has(tag) ? word(fields, header.is64, at + width / 2) : 0 });
  }
  return entries;
}

const WANTED = new Set(Object.values(DT));

/** The strings that dynamic entries point into; none where there is no table. */
function readStrings(
  source: ByteSource,
  header: ElfHeader,
  segments: readonly Segment[],
  dynamic: readonly Dynamic[],
): Fields {
  const address = dynamic.find(({ tag }) => tag === DT.strtab)?.value;
  const size = dynamic.find(({ tag }) => tag === DT.strsz)?.value ?? 0;
  const bytes = address === undefined ? new Uint8Array(0) : stretchOf(source, fileOffset(segments, address), size);
  return new Fields(bytes, header.littleEndian);
}

function readVersions(
  source: ByteSource,
  header: ElfHeader,
  segments: readonly Segment[],
  { dynamic, strings }: { readonly dynamic: readonly Dynamic[]; readonly strings: Fields },
): Map<string, string[]> {
  const found = new Map<string, string[]>();
  for (const { file, name } of neededVersions(source, header, segments, { dynamic, strings }))
    found.set(file, [...(found.get(file) ?? []), name]);
  return found;
}

export interface NeededVersion {
  /** The library that has to have it. */
  readonly file: string;
  readonly name: string;
  /** The number by which symbols name it. */
  readonly index: number;
}

function neededVersions(
  source: ByteSource,
  header: ElfHeader,
  segments: readonly Segment[],
  { dynamic, strings }: { readonly dynamic: readonly Dynamic[]; readonly strings: Fields },
): NeededVersion[] {
  const address = dynamic.find(({ tag }) => tag === DT.verneed)?.value;
  const count = dynamic.find(({ tag }) => tag === DT.verneednum)?.value ?? 0;
  const found: NeededVersion[] = [];
  if (address === undefined) return found;
  const record = (at: number): Fields => new Fields(stretchOf(source, at, 16), header.littleEndian);
  let at = fileOffset(segments, address);
  for (let i = 0; i < Math.min(count, MAX_ENTRIES); i++) {
    // Verneed: vn_version 2, vn_cnt 2, vn_file 4, vn_aux 4, vn_next 4.
    const need = record(at);
    const file = strings.text(need.u32(4));
    let auxAt = at + need.u32(8);
    for (let j = 0; j < need.u16(2); j++) {
      // Vernaux: vna_hash 4, vna_flags 2, vna_other 2, vna_name 4, vna_next 4.
      const aux = record(auxAt);
      found.push({ file, name: strings.text(aux.u32(8)), index: aux.u16(6) });
      if (found.length > MAX_ENTRIES) throw new RangeError('a version table that goes on and on');
      const next = aux.u32(12);
      if (next === 0) break;
      auxAt += next;
    }
    const next = need.u32(12);
    if (next === 0) break;
    at += next;
  }
  return found;
}

/** The same with the numbers by which symbols name them. @throws RangeError for tables that lead outside the file */
export function versionsByNumber(source: ByteSource): NeededVersion[] {
  const header = readHeader(source);
  const segments = readSegments(source, header);
  const dynamic = readDynamic(source, header, segments);
  return neededVersions(source, header, segments, { dynamic, strings: readStrings(source, header, segments, dynamic) });
}

/** The highest version of the GNU C library that any symbol needs, `[2, 17]`; undefined where none does. */
export function glibcNeeded(elf: ElfFile): readonly [number, number] | undefined {
  let highest: [number, number] | undefined;
  for (const names of elf.versions.values())
    for (const name of names) {
      const [, major, minor] = /^GLIBC_(\d+)\.(\d+)/.exec(name) ?? [];
      if (major === undefined || minor === undefined) continue;
      const version: [number, number] = [Number(major), Number(minor)];
      if (highest === undefined || version[0] > highest[0] || (version[0] === highest[0] && version[1] > highest[1]))
        highest = version;
    }
  return highest;
}
