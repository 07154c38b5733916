/**
 * Takes the debugging sections out of an ELF file (gABI chapter 4, "Section Header"). Nothing that is loaded moves: the
 * bytes up to the end of the last segment stay where they are. Headers of sections that go become inactive ones, so
 * that all others keep their numbers.
 */
import { isRangeError } from '../../base/errors';
import { isElf } from './elf';

/** Elf64_Ehdr and Elf64_Shdr: offset of each field that is used, in bytes. */
const E_SHOFF = 40;
const E_PHOFF = 32;
const E_PHENTSIZE = 54;
const E_PHNUM = 56;
const E_SHENTSIZE = 58;
const E_SHNUM = 60;
const E_SHSTRNDX = 62;
const SH_NAME = 0;
const SH_TYPE = 4;
const SH_FLAGS = 8;
const SH_OFFSET = 24;
const SH_SIZE = 32;
const SH_INFO = 44;
const SH_ADDRALIGN = 48;
const SECTION_BYTES = 64;
const SHT_RELA = 4;
const SHT_NOBITS = 8;
const SHT_REL = 9;
const SHF_ALLOC = 2;
const DEBUG_NAME = /^\.z?debug_|^\.gnu\.debuglto_|^\.stab/;

interface Section {
  /** Where its header is in the file. */
  readonly header: number;
  readonly name: string;
  readonly type: number;
  readonly isLoaded: boolean;
  readonly offset: number;
  readonly size: number;
  readonly align: number;
  readonly info: number;
}

/** The file without its debugging sections; undefined where it has none, or is no 64-bit little-endian file. */
export function stripDebugSections(bytes: Uint8Array): Buffer | undefined {
  if (!isElf(bytes) || bytes.length < 64 || bytes[4] !== 2 || bytes[5] !== 1) return undefined;
  try {
    return strip(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.length));
  } catch (error) {
    // A table that leads outside the file: it is left as it is.
    if (isRangeError(error)) return undefined;
    throw error;
  }
}

function strip(file: Buffer): Buffer | undefined {
  const sections = readSections(file);
  const goes = (section: Section): boolean => isDebug(section) || isRelocationOf(section, sections);
  if (!sections.some(goes)) return undefined;
  const keptEnd = endOfLoaded(file, sections);
  const parts: Buffer[] = [file.subarray(0, keptEnd)];
  let length = keptEnd;
  const append = (part: Buffer, align: number): number => {
    const padding = (align - (length % align)) % align;
    parts.push(Buffer.alloc(padding), part);
    length += padding + part.length;
    return length - part.length;
  };
  const first = sections[0]?.header ?? 0;
  const table = Buffer.from(file.subarray(first, first + sections.length * SECTION_BYTES));
  if (table.length !== sections.length * SECTION_BYTES) throw new RangeError('section headers');
  for (const [i, section] of sections.entries()) {
    const at = i * SECTION_BYTES;
    if (goes(section)) table.fill(0, at + SH_TYPE, at + SECTION_BYTES);
    else if (!section.isLoaded && section.offset >= keptEnd && section.type !== SHT_NOBITS) {
      const content = file.subarray(section.offset, section.offset + section.size);
      if (content.length !== section.size) throw new RangeError('section');
      table.writeBigUInt64LE(BigInt(append(content, Math.max(1, section.align))), at + SH_OFFSET);
    }
  }
  const tableAt = append(table, 8);
  const stripped = Buffer.concat(parts);
  stripped.writeBigUInt64LE(BigInt(tableAt), E_SHOFF);
  return stripped.length < file.length ? stripped : undefined;
}

function readSections(file: Buffer): Section[] {
  const at = u64(file, E_SHOFF);
  const count = file.readUInt16LE(E_SHNUM);
  if (file.readUInt16LE(E_SHENTSIZE) !== SECTION_BYTES) return [];
  const names = u64(file, at + file.readUInt16LE(E_SHSTRNDX) * SECTION_BYTES + SH_OFFSET);
  return Array.from({ length: count }, (_, i) => {
    const header = at + i * SECTION_BYTES;
    const nameAt = names + file.readUInt32LE(header + SH_NAME);
    return {
      header,
      name: file.toString('latin1', nameAt, Math.max(nameAt, file.indexOf(0, nameAt))),
      type: file.readUInt32LE(header + SH_TYPE),
      isLoaded: (u64(file, header + SH_FLAGS) & SHF_ALLOC) !== 0,
      offset: u64(file, header + SH_OFFSET),
      size: u64(file, header + SH_SIZE),
      align: u64(file, header + SH_ADDRALIGN),
      info: file.readUInt32LE(header + SH_INFO),
    };
  });
}

function isDebug({ name, isLoaded }: Section): boolean {
  return !isLoaded && DEBUG_NAME.test(name);
}

function isRelocationOf(section: Section, sections: readonly Section[]): boolean {
  const target = section.type === SHT_RELA || section.type === SHT_REL ? sections[section.info] : undefined;
  return target !== undefined && !section.isLoaded && isDebug(target);
}

function endOfLoaded(file: Buffer, sections: readonly Section[]): number {
  const ends = sections
    .filter(({ isLoaded, type }) => isLoaded && type !== SHT_NOBITS)
    .map(({ offset, size }) => offset + size);
  const at = u64(file, E_PHOFF);
  const size = file.readUInt16LE(E_PHENTSIZE);
  const count = file.readUInt16LE(E_PHNUM);
  // p_offset and p_filesz
  for (let i = 0; i < count; i++) ends.push(u64(file, at + i * size + 8) + u64(file, at + i * size + 32));
  const end = Math.max(at + count * size, SECTION_BYTES, ...ends);
  if (end > file.length) throw new RangeError('segments');
  return end;
}

function u64(file: Buffer, at: number): number {
  const value = file.readBigUInt64LE(at);
  if (value > BigInt(Number.MAX_SAFE_INTEGER)) throw new RangeError('offset');
  return Number(value);
}
