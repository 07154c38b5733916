/** The symbols of an ELF file with their places and sizes (gABI, "Symbol Table"). */
import { isRangeError } from '../../base/errors';
import { stretchOf, type ByteSource } from '../byte-source';
import { Fields } from '../fields';
import { readHeader, readSections, SHT, word, type Section } from './header';

export interface ElfSymbol {
  /** As it stands there, mangled. */
  readonly name: string;
  /** Number of the section that it is in. */
  readonly section: number;
  readonly value: number;
  readonly size: number;
}

/** Types of symbols that have content: STT_OBJECT, STT_FUNC, STT_TLS, STT_GNU_IFUNC. */
const WITH_CONTENT: ReadonlySet<number> = new Set([1, 2, 6, 10]);
const MAX_SYMBOLS = 2_000_000;
/** Section numbers from here on mean something else (SHN_LORESERVE). */
const FIRST_RESERVED = 0xff00;

export interface ElfLayout {
  readonly sections: readonly Section[];
  /** From the whole table where it was not stripped; of what is exported otherwise. */
  readonly symbols: readonly ElfSymbol[];
  /** Whether the table of all symbols is there. */
  readonly hasAllSymbols: boolean;
  readonly littleEndian: boolean;
}

/** Sections and symbols; undefined for what cannot be read as ELF. */
export function readElfLayout(source: ByteSource): ElfLayout | undefined {
  try {
    const header = readHeader(source);
    const sections = readSections(source, header);
    const table = sections.find(({ type }) => type === SHT.symtab);
    const symbols = table === undefined ? [] : readSymbols(source, header, sections, table);
    return { sections, symbols, hasAllSymbols: table !== undefined, littleEndian: header.littleEndian };
  } catch (error) {
    if (isRangeError(error)) return undefined;
    throw error;
  }
}

function readSymbols(
  source: ByteSource,
  { is64, littleEndian }: { readonly is64: boolean; readonly littleEndian: boolean },
  sections: readonly Section[],
  table: Section,
): ElfSymbol[] {
  const names = sections[table.link];
  if (names === undefined) return [];
  const fields = new Fields(stretchOf(source, table.offset, table.size), littleEndian);
  const texts = new Fields(stretchOf(source, names.offset, names.size), littleEndian);
  const width = is64 ? 24 : 16;
  const count = Math.min(Math.floor(table.size / width), MAX_SYMBOLS);
  const found: ElfSymbol[] = [];
  for (let i = 1; i < count; i++) {
    const at = i * width;
    const info = fields.u8(at + (is64 ? 4 : 12));
    const section = fields.u16(at + (is64 ? 6 : 14));
    const size = word(fields, is64, at + (is64 ? 16 : 8));
    if (size === 0 || section === 0 || section >= FIRST_RESERVED || !WITH_CONTENT.has(info & 0xf)) continue;
    const value = word(fields, is64, at + (is64 ? 8 : 4));
    found.push({ name: texts.text(fields.u32(at)), section, value, size });
  }
  return found;
}
