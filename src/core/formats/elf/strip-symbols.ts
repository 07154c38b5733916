/** Symbol tables without the symbols that only name files and sections (gABI chapter 4, "Symbol Table"). */
import { Fields } from '../fields';
import type { ElfHeader } from './header';

const STT_SECTION = 3;
const STT_FILE = 4;
const FIRST_RESERVED = 0xff00;

export interface SymbolTables {
  readonly symbols: Uint8Array;
  readonly strings: Uint8Array;
  /** How many of the first symbols are local. */
  readonly locals: number;
}

/**
 * @param strings the names of the symbols; only those that are still asked for are kept
 * @param numbers the new number of each section; `firstGlobal` is the number of the first symbol that is not local
 */
export function withoutDebugSymbols(
  table: Uint8Array,
  strings: Uint8Array,
  { is64, littleEndian }: ElfHeader,
  { numbers, firstGlobal }: { readonly numbers: readonly number[]; readonly firstGlobal: number },
): SymbolTables {
  // Elf64_Sym: st_name 4, st_info 1, st_other 1, st_shndx 2, …; Elf32_Sym: st_name 4, st_value 4, st_size 4, st_info 1, …
  const [width, infoAt, sectionAt] = is64 ? [24, 4, 6] : [16, 12, 14];
  const count = Math.floor(table.length / width);
  const fields = new Fields(new Uint8Array(table), littleEndian);
  let [kept, locals] = [0, 0];
  for (let i = 0; i < count; i++) {
    const kind = fields.u8(i * width + infoAt) & 0xf;
    if (i > 0 && (kind === STT_SECTION || kind === STT_FILE)) continue;
    fields.bytes.copyWithin(kept * width, i * width, (i + 1) * width);
    const section = fields.u16(kept * width + sectionAt);
    if (section < FIRST_RESERVED) fields.setU16(kept * width + sectionAt, Math.max(0, numbers[section] ?? 0));
    if (i < firstGlobal) locals += 1;
    kept += 1;
  }
  const offsets = Array.from({ length: kept }, (_, i) => fields.u32(i * width));
  const names = keepNames(strings, offsets);
  for (let i = 0; i < kept; i++) fields.setU32(i * width, names.newOffset(offsets[i] ?? 0));
  return { symbols: fields.bytes.subarray(0, kept * width), strings: names.bytes, locals };
}

/** The names at these offsets, in their order; one that is the end of another shares its bytes, as before. */
function keepNames(
  strings: Uint8Array,
  offsets: readonly number[],
): { readonly bytes: Uint8Array; newOffset: (offset: number) => number } {
  const moved = new Map<number, number>([[0, 0]]);
  const parts: Uint8Array[] = [strings.subarray(0, 1)];
  let [start, end, newStart, length] = [0, 1, 0, 1];
  for (const offset of Uint32Array.from(offsets).sort()) {
    if (moved.has(offset)) continue;
    if (offset >= end) {
      end = strings.indexOf(0, offset) + 1;
      if (end === 0) throw new RangeError('a name without an end');
      [start, newStart] = [offset, length];
      parts.push(strings.subarray(offset, end));
      length += end - offset;
    }
    moved.set(offset, newStart + (offset - start));
  }
  return { bytes: Buffer.concat(parts), newOffset: (offset) => moved.get(offset) ?? 0 };
}
