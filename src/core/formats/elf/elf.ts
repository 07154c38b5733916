/**
 * Reads what an ELF file says of itself (System V ABI, gABI chapters 4 and 5; symbol versions per the LSB, "Symbol
 * Versioning"): the processor it is for, the libraries it needs and the versions of their symbols. Bytes in, values out;
 * every offset and count is held against the bytes that are there.
 */

import { isRangeError } from '../../base/errors';

export interface ElfFile {
  readonly bits: 32 | 64;
  readonly littleEndian: boolean;
  /** e_machine. */
  readonly machine: number;
  /** e_type: 2 executable, 3 shared object or position-independent executable. */
  readonly type: number;
  readonly interpreter?: string;
  readonly needed: readonly string[];
  /** Versions of symbols that are needed, by library: `libc.so.6` → `GLIBC_2.17`, … */
  readonly versions: ReadonlyMap<string, readonly string[]>;
}

export const MACHINES: Readonly<Record<number, string>> = {
  3: 'x86 (32 bit)',
  40: 'arm (32 bit)',
  62: 'x86_64',
  183: 'arm64',
  243: 'riscv',
  8: 'mips',
  20: 'powerpc',
  21: 'powerpc64',
  22: 's390x',
  258: 'loongarch',
};

const EI_CLASS = 4;
const EI_DATA = 5;
const PT_LOAD = 1;
const PT_DYNAMIC = 2;
const PT_INTERP = 3;
const DT_NEEDED = 1;
const DT_STRTAB = 5;
const DT_STRSZ = 10;
const DT_VERNEED = 0x6ffffffe;
const DT_VERNEEDNUM = 0x6fffffff;
/** No real file has more; what claims to is not worth reading on. */
const MAX_ENTRIES = 65_536;
const MAX_NAME = 4096;

export function isElf(bytes: Uint8Array): boolean {
  return bytes.length >= 20 && bytes[0] === 0x7f && bytes[1] === 0x45 && bytes[2] === 0x4c && bytes[3] === 0x46;
}

/** Undefined for what is no ELF file, or one whose tables lead outside it. */
export function readElf(bytes: Uint8Array): ElfFile | undefined {
  if (!isElf(bytes)) return undefined;
  try {
    return new Reader(bytes).read();
  } catch (error) {
    // A table that leads outside the bytes.
    if (isRangeError(error)) return undefined;
    throw error;
  }
}

interface Segment {
  readonly type: number;
  readonly offset: number;
  readonly address: number;
  readonly fileSize: number;
}

class Reader {
  readonly #bytes: Uint8Array;
  readonly #view: DataView;
  readonly #is64: boolean;
  readonly #little: boolean;

  constructor(bytes: Uint8Array) {
    this.#bytes = bytes;
    this.#view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    this.#is64 = bytes[EI_CLASS] === 2;
    this.#little = bytes[EI_DATA] !== 2;
  }

  read(): ElfFile {
    const segments = this.#segments();
    const interpreter = segments.find(({ type }) => type === PT_INTERP);
    const dynamic = this.#dynamic(segments);
    const strings = this.#stringTable(segments, dynamic);
    return {
      bits: this.#is64 ? 64 : 32,
      littleEndian: this.#little,
      machine: this.#u16(18),
      type: this.#u16(16),
      ...(interpreter !== undefined && { interpreter: this.#text(interpreter.offset) }),
      needed: dynamic.filter(({ tag }) => tag === DT_NEEDED).map(({ value }) => this.#text(strings + value)),
      versions: this.#versions(segments, dynamic, strings),
    };
  }

  #segments(): Segment[] {
    // e_phoff, e_phentsize, e_phnum
    const at = this.#is64 ? this.#u64(32) : this.#u32(28);
    const size = this.#u16(this.#is64 ? 54 : 42);
    const count = Math.min(this.#u16(this.#is64 ? 56 : 44), MAX_ENTRIES);
    return Array.from({ length: count }, (_, i) => {
      const p = at + i * size;
      return this.#is64
        ? { type: this.#u32(p), offset: this.#u64(p + 8), address: this.#u64(p + 16), fileSize: this.#u64(p + 32) }
        : { type: this.#u32(p), offset: this.#u32(p + 4), address: this.#u32(p + 8), fileSize: this.#u32(p + 16) };
    });
  }

  #dynamic(segments: readonly Segment[]): { tag: number; value: number }[] {
    const segment = segments.find(({ type }) => type === PT_DYNAMIC);
    if (segment === undefined) return [];
    const width = this.#is64 ? 16 : 8;
    const entries: { tag: number; value: number }[] = [];
    for (let i = 0; i < Math.min(segment.fileSize / width, MAX_ENTRIES); i++) {
      const at = segment.offset + i * width;
      const tag = this.#is64 ? this.#u64(at) : this.#u32(at);
      if (tag === 0) break;
      entries.push({ tag, value: this.#is64 ? this.#u64(at + 8) : this.#u32(at + 4) });
    }
    return entries;
  }

  #stringTable(segments: readonly Segment[], dynamic: readonly { tag: number; value: number }[]): number {
    const address = dynamic.find(({ tag }) => tag === DT_STRTAB)?.value;
    const size = dynamic.find(({ tag }) => tag === DT_STRSZ)?.value ?? 0;
    if (address === undefined) return 0;
    const offset = fileOffset(segments, address);
    if (offset + size > this.#bytes.length) throw new RangeError('string table');
    return offset;
  }

  #versions(
    segments: readonly Segment[],
    dynamic: readonly { tag: number; value: number }[],
    strings: number,
  ): Map<string, string[]> {
    const found = new Map<string, string[]>();
    const address = dynamic.find(({ tag }) => tag === DT_VERNEED)?.value;
    const count = dynamic.find(({ tag }) => tag === DT_VERNEEDNUM)?.value ?? 0;
    if (address === undefined) return found;
    let at = fileOffset(segments, address);
    for (let i = 0; i < Math.min(count, MAX_ENTRIES); i++) {
      // Verneed: vn_version 2, vn_cnt 2, vn_file 4, vn_aux 4, vn_next 4.
      const names: string[] = [];
      let aux = at + this.#u32(at + 8);
      for (let j = 0; j < Math.min(this.#u16(at + 2), MAX_ENTRIES); j++) {
        // Vernaux: vna_hash 4, vna_flags 2, vna_other 2, vna_name 4, vna_next 4.
        names.push(this.#text(strings + this.#u32(aux + 8)));
        aux += this.#u32(aux + 12);
      }
      found.set(this.#text(strings + this.#u32(at + 4)), names);
      const next = this.#u32(at + 12);
      if (next === 0) break;
      at += next;
    }
    return found;
  }

  #text(at: number): string {
    const end = this.#bytes.indexOf(0, at);
    if (at >= this.#bytes.length || end < 0 || end - at > MAX_NAME) throw new RangeError('text');
    return Buffer.from(this.#bytes.subarray(at, end)).toString('latin1');
  }

  #u16(at: number): number {
    return this.#view.getUint16(at, this.#little);
  }

  #u32(at: number): number {
    return this.#view.getUint32(at, this.#little);
  }

  #u64(at: number): number {
    const value = this.#view.getBigUint64(at, this.#little);
    if (value > BigInt(Number.MAX_SAFE_INTEGER)) throw new RangeError('offset');
    return Number(value);
  }
}

function fileOffset(segments: readonly Segment[], address: number): number {
  const segment = segments.find(
    ({ type, address: start, fileSize }) => type === PT_LOAD && address >= start && address < start + fileSize,
  );
  if (segment === undefined) throw new RangeError('address');
  return segment.offset + (address - segment.address);
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
