/** The headers of PE files: processor, sections, data directories (Microsoft PE and COFF Specification). */
import { stretchOf, type ByteSource } from '../byte-source';
import { Fields } from '../fields';

const PE_OFFSET_AT = 0x3c;
const SIGNATURE = 0x4550;
const MAGIC_64 = 0x20b;
const MAGIC_32 = 0x10b;
const MAX_SECTIONS = 96;
const SECTION_BYTES = 40;

export interface PeSection {
  readonly address: number;
  /** Bytes in memory, and in the file from `offset` on. */
  readonly inMemory: number;
  readonly size: number;
  readonly offset: number;
}

export interface PeHeaders {
  /** Where they begin in the file. */
  readonly at: number;
  readonly machine: number;
  readonly characteristics: number;
  readonly is64: boolean;
  readonly sections: readonly PeSection[];
  /** Where a data directory leads to, and how many bytes are there; undefined for none. */
  readonly directory: (number: number) => { readonly address: number; readonly size: number } | undefined;
}

/** Whether bytes begin as a PE file does. */
export function isPe(start: Uint8Array): boolean {
  return start.length >= 2 && start[0] === 0x4d && start[1] === 0x5a;
}

/** @throws RangeError for a file whose headers lead outside it */
export function readPeHeaders(source: ByteSource): PeHeaders {
  const at = new Fields(stretchOf(source, 0, 64), true).u32(PE_OFFSET_AT);
  // Signature 4, Machine 2, NumberOfSections 2, …, SizeOfOptionalHeader 2 at 20, Characteristics 2 at 22.
  const coff = new Fields(stretchOf(source, at, 24), true);
  if (coff.u32(0) !== SIGNATURE) throw new RangeError('a program of DOS only');
  const optionalSize = coff.u16(20);
  const optional = new Fields(stretchOf(source, at + 24, optionalSize), true);
  const magic = optionalSize >= 2 ? optional.u16(0) : MAGIC_64;
  if (magic !== MAGIC_32 && magic !== MAGIC_64) throw new RangeError('an optional header of no known shape');
  const count = coff.u16(6);
  if (count > MAX_SECTIONS) throw new RangeError('more sections than the format allows');
  const table = new Fields(stretchOf(source, at + 24 + optionalSize, count * SECTION_BYTES), true);
  const is64 = magic === MAGIC_64;
  return {
    at,
    machine: coff.u16(4),
    characteristics: coff.u16(22),
    is64,
    sections: readSections(table, count),
    directory(number) {
      const countAt = is64 ? 108 : 92;
      const place = countAt + 4 + number * 8;
      if (optional.bytes.length < place + 4 || optional.u32(countAt) <= number) return undefined;
      const address = optional.u32(place);
      const isSized = optional.bytes.length >= place + 8;
      return address === 0 ? undefined : { address, size: isSized ? optional.u32(place + 4) : 0 };
    },
  };
}

function readSections(table: Fields, count: number): PeSection[] {
  // Name 8, VirtualSize 4, VirtualAddress 4, SizeOfRawData 4, PointerToRawData 4, …
  return Array.from({ length: count }, (_, i) => ({
    inMemory: table.u32(i * SECTION_BYTES + 8),
    address: table.u32(i * SECTION_BYTES + 12),
    size: table.u32(i * SECTION_BYTES + 16),
    offset: table.u32(i * SECTION_BYTES + 20),
  }));
}
