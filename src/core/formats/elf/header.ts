/**
 * The header of an ELF file and its two tables (System V ABI, gABI chapters 4 and 5), of 32 and 64 bits in both byte
 * orders. Every offset and count is held against the bytes that are there.
 */
import { stretchOf, type ByteSource } from '../byte-source';
import { Fields } from '../fields';

export const PT = {
  load: 1,
  dynamic: 2,
  interpreter: 3,
  note: 4,
  gnuStack: 0x6474e551,
  gnuRelro: 0x6474e552,
  gnuProperty: 0x6474e553,
};
export const PF = { executable: 1, writable: 2 };
export const SHT = { null: 0, symtab: 2, rela: 4, nobits: 8, rel: 9, symtabShndx: 18 };
export const SHF = { alloc: 2, infoLink: 0x40 };
export const ET = { relocatable: 1, executable: 2, shared: 3 };

export interface ElfHeader {
  readonly is64: boolean;
  readonly littleEndian: boolean;
  /** e_machine. */
  readonly machine: number;
  /** e_type. */
  readonly type: number;
  readonly segmentsAt: number;
  readonly segmentSize: number;
  readonly segmentCount: number;
  readonly sectionsAt: number;
  readonly sectionSize: number;
  readonly sectionCount: number;
  /** Index of the section that holds the names of sections. */
  readonly namesIndex: number;
}

export interface Segment {
  readonly type: number;
  readonly flags: number;
  readonly offset: number;
  readonly address: number;
  readonly fileSize: number;
}

export interface Section {
  readonly name: string;
  readonly type: number;
  readonly flags: number;
  readonly offset: number;
  readonly size: number;
  readonly link: number;
  readonly info: number;
  readonly align: number;
  readonly entrySize: number;
}

/** Where the fields of a section header are, in bytes: Elf64_Shdr and Elf32_Shdr. */
export const SECTION_FIELDS = {
  64: { bytes: 64, flags: 8, offset: 24, size: 32, link: 40, info: 44, align: 48, entrySize: 56 },
  32: { bytes: 40, flags: 8, offset: 16, size: 20, link: 24, info: 28, align: 32, entrySize: 36 },
} as const;
/** Where fields of the file header are that stripping changes: e_shoff, e_shnum, e_shstrndx. */
export const HEADER_FIELDS = {
  64: { bytes: 64, sectionsAt: 40, sectionCount: 60, namesIndex: 62 },
  32: { bytes: 52, sectionsAt: 32, sectionCount: 48, namesIndex: 50 },
} as const;

const EI_CLASS = 4;
const EI_DATA = 5;
const SHN_XINDEX = 0xffff;
/** No real file has more; what claims to is not worth reading on. */
export const MAX_ENTRIES = 65_536;

/** Whether bytes begin as an ELF file does (gABI, “ELF Identification”). */
export function isElf(bytes: Uint8Array): boolean {
  return bytes.length >= 20 && bytes[0] === 0x7f && bytes[1] === 0x45 && bytes[2] === 0x4c && bytes[3] === 0x46;
}

/** An offset, address or size: 8 bytes or 4. */
export function word(fields: Fields, is64: boolean, at: number): number {
  return is64 ? fields.u64(at) : fields.u32(at);
}

/** @throws RangeError for a file that ends too early, or whose tables are of no known shape */
export function readHeader(source: ByteSource): ElfHeader {
  const start = stretchOf(source, 0, 16);
  if (!isElf(stretchOf(source, 0, 20))) throw new RangeError('no ELF file');
  const [kind, order] = [start[EI_CLASS], start[EI_DATA]];
  if ((kind !== 1 && kind !== 2) || (order !== 1 && order !== 2)) throw new RangeError('neither 32 nor 64 bits');
  const is64 = kind === 2;
  const { bytes, sectionsAt, sectionCount, namesIndex } = HEADER_FIELDS[is64 ? 64 : 32];
  const fields = new Fields(stretchOf(source, 0, bytes), order === 1);
  const header: ElfHeader = {
    is64,
    littleEndian: fields.littleEndian,
    machine: fields.u16(18),
    type: fields.u16(16),
    segmentsAt: word(fields, is64, is64 ? 32 : 28),
    segmentSize: fields.u16(is64 ? 54 : 42),
    segmentCount: fields.u16(is64 ? 56 : 44),
    sectionsAt: word(fields, is64, sectionsAt),
    sectionSize: fields.u16(is64 ? 58 : 46),
    sectionCount: fields.u16(sectionCount),
    namesIndex: fields.u16(namesIndex),
  };
  return header.sectionsAt === 0 ? header : withExtendedCounts(source, header);
}

/** Numbers that do not fit into the header stand in the first section header (gABI chapter 4, "Sections"). */
function withExtendedCounts(source: ByteSource, header: ElfHeader): ElfHeader {
  const isExtended = header.sectionCount === 0 || header.namesIndex === SHN_XINDEX;
  if (!isExtended) return header;
  const shape = SECTION_FIELDS[header.is64 ? 64 : 32];
  const first = new Fields(stretchOf(source, header.sectionsAt, shape.bytes), header.littleEndian);
  return {
    ...header,
    sectionCount: header.sectionCount === 0 ? word(first, header.is64, shape.size) : header.sectionCount,
    namesIndex: header.namesIndex === SHN_XINDEX ? first.u32(shape.link) : header.namesIndex,
  };
}

/** @throws RangeError for a table that leads outside the file */
export function readSegments(source: ByteSource, header: ElfHeader): Segment[] {
  const { is64, segmentCount, segmentSize } = header;
  if (segmentCount === 0) return [];
  if (segmentSize < (is64 ? 56 : 32)) throw new RangeError('program headers of no known shape');
  const bytes = stretchOf(source, header.segmentsAt, segmentCount * segmentSize);
  const fields = new Fields(bytes, header.littleEndian);
  return Array.from({ length: segmentCount }, (_, i) => {
    const at = i * segmentSize;
    const of = (wide: number, narrow: number): number => word(fields, is64, at + (is64 ? wide : narrow));
    return {
      type: fields.u32(at),
      flags: fields.u32(at + (is64 ? 4 : 24)),
      offset: of(8, 4),
      address: of(16, 8),
      fileSize: of(32, 16),
    };
  });
}

/** @throws RangeError for a table that leads outside the file, or names that do */
export function readSections(source: ByteSource, header: ElfHeader): Section[] {
  const { sectionsAt, sectionCount, sectionSize, is64 } = header;
  if (sectionsAt === 0 || sectionCount === 0) return [];
  const shape = SECTION_FIELDS[is64 ? 64 : 32];
  if (sectionSize !== shape.bytes || sectionCount > MAX_ENTRIES) throw new RangeError('section headers');
  const fields = new Fields(stretchOf(source, sectionsAt, sectionCount * shape.bytes), header.littleEndian);
  const of = (index: number, field: number): number => word(fields, is64, index * shape.bytes + field);
  const hasNames = header.namesIndex > 0 && header.namesIndex < sectionCount;
  const names = new Fields(
    hasNames
      ? stretchOf(source, of(header.namesIndex, shape.offset), of(header.namesIndex, shape.size))
      : new Uint8Array(1),
    header.littleEndian,
  );
  return Array.from({ length: sectionCount }, (_, i) => ({
    name: names.text(hasNames ? fields.u32(i * shape.bytes) : 0),
    type: fields.u32(i * shape.bytes + 4),
    flags: of(i, shape.flags),
    offset: of(i, shape.offset),
    size: of(i, shape.size),
    link: fields.u32(i * shape.bytes + shape.link),
    info: fields.u32(i * shape.bytes + shape.info),
    align: of(i, shape.align),
    entrySize: of(i, shape.entrySize),
  }));
}

/** @throws RangeError for an address that no segment loads from the file */
export function fileOffset(segments: readonly Segment[], address: number): number {
  const segment = segments.find(
    ({ type, address: start, fileSize }) => type === PT.load && address >= start && address < start + fileSize,
  );
  if (segment === undefined) throw new RangeError('an address that is not in the file');
  return segment.offset + (address - segment.address);
}
