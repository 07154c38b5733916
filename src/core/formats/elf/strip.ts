/**
 * Takes out of a linked ELF file what is only for people and debuggers (gABI chapter 4, "Section Header"). Nothing that
 * is loaded moves: the bytes up to the end of the last segment stay where they are, and so do the numbers of sections
 * that are loaded, since dynamic symbols name them. What is taken out is never read. A file with data of its own behind all
 * that the format knows of is left as it is.
 */
import { isRangeError } from '../../base/errors';
import { sourceOfBytes, stretchOf, type ByteSource } from '../byte-source';
import { Fields } from '../fields';
import {
  ET,
  HEADER_FIELDS,
  PT,
  readHeader,
  readSections,
  readSegments,
  SECTION_FIELDS,
  SHF,
  SHT,
  type ElfHeader,
  type Section,
} from './header';
import { withoutDebugSymbols } from './strip-symbols';

/** `debug`: debugging sections. `all`: symbol tables and comments of compilers as well. */
export type Strip = 'all' | 'debug' | 'none';

/** What a stripped file is made of, in order: stretches of the old one, and new bytes. */
export type Piece = { readonly at: number; readonly length: number } | Uint8Array;

export interface StripPlan {
  readonly pieces: readonly Piece[];
  /** Bytes of the stripped file. */
  readonly size: number;
}

const DEBUG_NAME = /^\.z?debug_|^\.gnu\.(?:debuglto_|lto_)|^\.gnu_debug(?:data|link|altlink)$|^\.stab|^\.gdb_index$/;
const COMMENT_NAME = /^\.comment$|^\.note\.gnu\.gold-version$/;
/** So many bytes at the end of a file may be there for alignment only. */
const MAX_PADDING = 4096;
/** From here on numbers of sections mean something else (SHN_LORESERVE). */
const FIRST_RESERVED = 0xff00;

/** The file stripped; undefined where nothing is to be taken out, or it is none that can be. */
export function stripElf(bytes: Uint8Array, strip: Exclude<Strip, 'none'>): Buffer | undefined {
  const plan = planStrip(sourceOfBytes(bytes), strip);
  if (plan === undefined) return undefined;
  return Buffer.concat(
    plan.pieces.map((piece) =>
      piece instanceof Uint8Array ? piece : bytes.subarray(piece.at, piece.at + piece.length),
    ),
    plan.size,
  );
}

/** How to strip a file, without reading what goes; undefined as above. Objects and archives are left to linkers. */
export function planStrip(source: ByteSource, strip: Exclude<Strip, 'none'>): StripPlan | undefined {
  try {
    const header = readHeader(source);
    if (header.type !== ET.executable && header.type !== ET.shared) return undefined;
    if (header.sectionCount === 0 || header.sectionCount >= FIRST_RESERVED) return undefined;
    const plan = new Stripper(source, header, strip).plan();
    return plan !== undefined && plan.size < source.size ? plan : undefined;
  } catch (error) {
    // A table that leads outside the file: it is left as it is.
    if (isRangeError(error)) return undefined;
    throw error;
  }
}

class Stripper {
  readonly #source: ByteSource;
  readonly #header: ElfHeader;
  readonly #strip: Exclude<Strip, 'none'>;
  readonly #sections: readonly Section[];
  readonly #shape: (typeof SECTION_FIELDS)[32 | 64];
  readonly #pieces: Piece[] = [];
  /** New content of sections, by their old number. */
  readonly #rewritten = new Map<number, Uint8Array>();
  #length = 0;

  constructor(source: ByteSource, header: ElfHeader, strip: Exclude<Strip, 'none'>) {
    this.#source = source;
    this.#header = header;
    this.#strip = strip;
    this.#shape = SECTION_FIELDS[header.is64 ? 64 : 32];
    this.#sections = readSections(source, header);
  }

  plan(): StripPlan | undefined {
    const goes = this.#sections.map((section, i) => i !== this.#header.namesIndex && this.#goes(section));
    const symbols = this.#symbols(goes);
    const hasSomething = goes.includes(true) || symbols !== undefined;
    if (!hasSomething || symbols?.[1] === this.#header.namesIndex || this.#hasMoreBehind()) return undefined;
    return this.#layOut(goes, symbols);
  }

  #layOut(goes: readonly boolean[], symbols: readonly [number, number] | undefined): StripPlan {
    const loadedEnd = this.#endOfLoaded();
    const rewrites = symbols !== undefined && this.#canMove(symbols, loadedEnd) ? symbols : undefined;
    // Symbols name sections by number: where they stay as they are, so do the numbers.
    const numbers = symbols === rewrites ? this.#numberAnew(goes) : goes.map((_, i) => i);
    const count = numbers.reduce((a, b) => Math.max(a, b), 0) + 1;
    const table = new Fields(new Uint8Array(count * this.#shape.bytes), this.#header.littleEndian);
    this.#append({ at: 0, length: loadedEnd });
    const locals = rewrites === undefined ? 0 : this.#rewriteSymbols(rewrites, numbers);
    this.#placeSections(table, { goes, numbers, loadedEnd });
    if (rewrites !== undefined)
      table.setU32((numbers[rewrites[0]] ?? 0) * this.#shape.bytes + this.#shape.info, locals);
    const tableAt = this.#append(table.bytes, this.#header.is64 ? 8 : 4);
    const namesIndex = numbers[this.#header.namesIndex] ?? 0;
    return { pieces: this.#withHeader(tableAt, count, namesIndex), size: this.#length };
  }

  /** Writes the headers of the sections that stay, and their content where it moves; their names come last. */
  #placeSections(
    table: Fields,
    {
      goes,
      numbers,
      loadedEnd,
    }: { readonly goes: readonly boolean[]; readonly numbers: readonly number[]; readonly loadedEnd: number },
  ): void {
    const names = new Names();
    for (const [i, section] of this.#sections.entries()) {
      const number = numbers[i] ?? -1;
      if (number < 0 || goes[i] === true) continue;
      this.#copyHeader(i, table, number, numbers);
      table.setU32(number * this.#shape.bytes, names.add(section.name));
      const isMoved =
        (section.flags & SHF.alloc) === 0 && section.type !== SHT.nobits && section.offset + section.size > loadedEnd;
      if (isMoved && i !== this.#header.namesIndex) this.#move(i, section, table, number);
    }
    const number = numbers[this.#header.namesIndex] ?? 0;
    this.#setWord(table, number, this.#shape.offset, this.#append(names.bytes()));
    this.#setWord(table, number, this.#shape.size, names.bytes().length);
  }

  #goes({ name, type, flags }: Section): boolean {
    if ((flags & SHF.alloc) !== 0 || type === SHT.null) return false;
    if (DEBUG_NAME.test(name)) return true;
    // What a linker was asked to keep for moving code again; its targets may go.
    if (type === SHT.rel || type === SHT.rela) return this.#strip === 'all' || /^\.rela?\.z?debug_/.test(name);
    if (this.#strip !== 'all') return false;
    return type === SHT.symtab || type === SHT.symtabShndx || name === '.strtab' || COMMENT_NAME.test(name);
  }

  /** Some programs carry data behind everything that the format knows of, and read it from their own file. */
  #hasMoreBehind(): boolean {
    const { sectionsAt, sectionCount } = this.#header;
    const ends = this.#sections.map(({ offset, size, type }) => (type === SHT.nobits ? 0 : offset + size));
    const table = sectionsAt + sectionCount * this.#shape.bytes;
    const end = ends.reduce((a, b) => Math.max(a, b), Math.max(table, this.#endOfLoaded()));
    return this.#source.size - end > MAX_PADDING;
  }

  #endOfLoaded(): number {
    const { segmentsAt, segmentSize, segmentCount, is64 } = this.#header;
    const ends = this.#sections
      .filter(({ flags, type }) => (flags & SHF.alloc) !== 0 && type !== SHT.nobits)
      .map(({ offset, size }) => offset + size);
    for (const { type, offset, fileSize } of readSegments(this.#source, this.#header))
      // What is made read-only after loading is rounded up to a page of memory, over bytes that are not loaded.
      if (type !== PT.gnuRelro && type !== PT.gnuStack) ends.push(offset + fileSize);
    const tables = Math.max(HEADER_FIELDS[is64 ? 64 : 32].bytes, segmentsAt + segmentCount * segmentSize);
    const end = ends.reduce((a, b) => Math.max(a, b), tables);
    if (end > this.#source.size) throw new RangeError('segments');
    return end;
  }

  /** The new number of each section; below zero for those without. What comes before a loaded section keeps its place. */
  #numberAnew(goes: readonly boolean[]): number[] {
    const lastLoaded = this.#sections.findLastIndex(({ flags }) => (flags & SHF.alloc) !== 0);
    let next = lastLoaded + 1;
    return goes.map((isGone, i) => (i <= lastLoaded ? i : isGone ? -1 : next++));
  }

  #copyHeader(from: number, table: Fields, to: number, numbers: readonly number[]): void {
    const shape = this.#shape;
    const old = stretchOf(this.#source, this.#header.sectionsAt + from * shape.bytes, shape.bytes);
    table.bytes.set(old, to * shape.bytes);
    const section = this.#sections[from];
    if (section === undefined) return;
    table.setU32(to * shape.bytes + shape.link, Math.max(0, numbers[section.link] ?? 0));
    const infoIsNumber = section.type === SHT.rel || section.type === SHT.rela || (section.flags & SHF.infoLink) !== 0;
    if (infoIsNumber) table.setU32(to * shape.bytes + shape.info, Math.max(0, numbers[section.info] ?? 0));
  }

  /** Puts the content of a section that is not loaded behind what is there. */
  #move(i: number, section: Section, table: Fields, number: number): void {
    const shape = this.#shape;
    if (section.offset + section.size > this.#source.size) throw new RangeError('section');
    const written = this.#rewritten.get(i);
    const piece = written ?? { at: section.offset, length: section.size };
    this.#setWord(table, number, shape.offset, this.#append(piece, section.align));
    this.#setWord(table, number, shape.size, piece.length);
  }

  /** The symbol table that stays, and the names of its symbols. */
  #symbols(goes: readonly boolean[]): readonly [symbols: number, names: number] | undefined {
    const at = this.#sections.findIndex(({ type }, i) => type === SHT.symtab && goes[i] === false);
    const link = this.#sections[at]?.link;
    return link === undefined || this.#sections[link] === undefined ? undefined : [at, link];
  }

  /** Not what lies among loaded bytes, nor symbols whose numbers or names something else counts on. */
  #canMove([symbols, names]: readonly [number, number], loadedEnd: number): boolean {
    const isBehind = [symbols, names].every((i) => (this.#sections[i]?.offset ?? 0) >= loadedEnd);
    const isCountedOn = this.#sections.some(
      ({ link, type, flags }, i) =>
        i !== symbols &&
        (link === names || link === symbols || ((type === SHT.rel || type === SHT.rela) && (flags & SHF.alloc) === 0)),
    );
    return isBehind && !isCountedOn;
  }

  /** Takes out the symbols that only debuggers ask for. @returns how many of the first that stay are local */
  #rewriteSymbols([symbols, names]: readonly [number, number], numbers: readonly number[]): number {
    const read = (i: number): Uint8Array =>
      stretchOf(this.#source, this.#sections[i]?.offset ?? 0, this.#sections[i]?.size ?? 0);
    const made = withoutDebugSymbols(read(symbols), read(names), this.#header, {
      numbers,
      firstGlobal: this.#sections[symbols]?.info ?? 0,
    });
    this.#rewritten.set(symbols, made.symbols).set(names, made.strings);
    return made.locals;
  }

  #append(piece: Piece, align = 1): number {
    const padding = align > 1 ? (align - (this.#length % align)) % align : 0;
    if (padding > this.#source.size) throw new RangeError('alignment');
    if (padding > 0) this.#pieces.push(new Uint8Array(padding));
    const at = this.#length + padding;
    this.#pieces.push(piece);
    this.#length = at + piece.length;
    return at;
  }

  #setWord(table: Fields, number: number, field: number, value: number): void {
    const at = number * this.#shape.bytes + field;
    if (this.#header.is64) table.setU64(at, value);
    else table.setU32(at, value);
  }

  /** The pieces, with the file header telling of the new table. */
  #withHeader(tableAt: number, count: number, namesIndex: number): Piece[] {
    const where = HEADER_FIELDS[this.#header.is64 ? 64 : 32];
    const start = new Fields(new Uint8Array(stretchOf(this.#source, 0, where.bytes)), this.#header.littleEndian);
    if (this.#header.is64) start.setU64(where.sectionsAt, tableAt);
    else start.setU32(where.sectionsAt, tableAt);
    start.setU16(where.sectionCount, count);
    start.setU16(where.namesIndex, namesIndex);
    const [first, ...rest] = this.#pieces;
    return [start.bytes, { at: where.bytes, length: (first?.length ?? where.bytes) - where.bytes }, ...rest];
  }
}

/** Names of sections, each once; one that another ends with shares its bytes. */
class Names {
  #text = '\0';

  add(name: string): number {
    const at = this.#text.indexOf(`${name}\0`);
    if (at >= 0) return at;
    this.#text += `${name}\0`;
    return this.#text.length - name.length - 1;
  }

  bytes(): Uint8Array {
    return Buffer.from(this.#text, 'latin1');
  }
}

/** Bytes of the sections that only debuggers read; 0 where the file does not tell. */
export function debugBytes(bytes: Uint8Array): number {
  try {
    const source = sourceOfBytes(bytes);
    return readSections(source, readHeader(source))
      .filter(({ name, flags }) => (flags & SHF.alloc) === 0 && /^\.z?debug_/.test(name))
      .reduce((sum, { size }) => sum + size, 0);
  } catch (error) {
    if (isRangeError(error)) return 0;
    throw error;
  }
}
