/** Symbol tables without the symbols that only name files and sections (gABI chapter 4, "Symbol Table"). */
import { Fields } from '../fields';
import type { ElfHeader } from './header';

const STT_SECTION = 3;
const STT_FILE = 4;
const STB_LOCAL = 0;
const FIRST_RESERVED = 0xff00;

/**
 * @param numbers the new number of each section
 * @param keepsAll whether something else counts on the numbers of symbols
 * @returns the table, and how many of its first symbols are local where that has changed
 */
export function withoutDebugSymbols(
  table: Uint8Array,
  { is64, littleEndian }: ElfHeader,
  { numbers, keepsAll }: { readonly numbers: readonly number[]; readonly keepsAll: boolean },
): { bytes: Uint8Array; locals?: number } {
  // Elf64_Sym: st_name 4, st_info 1, st_other 1, st_shndx 2, …; Elf32_Sym: st_name 4, st_value 4, st_size 4, st_info 1, …
  const [width, infoAt, sectionAt] = is64 ? [24, 4, 6] : [16, 12, 14];
  const count = Math.floor(table.length / width);
  const fields = new Fields(new Uint8Array(table), littleEndian);
  let [kept, locals] = [0, 0];
  for (let i = 0; i < count; i++) {
    const info = fields.u8(i * width + infoAt);
    const kind = info & 0xf;
    if (!keepsAll && i > 0 && (kind === STT_SECTION || kind === STT_FILE)) continue;
    fields.bytes.copyWithin(kept * width, i * width, (i + 1) * width);
    const section = fields.u16(kept * width + sectionAt);
    if (section < FIRST_RESERVED) fields.setU16(kept * width + sectionAt, Math.max(0, numbers[section] ?? 0));
    if (info >> 4 === STB_LOCAL) locals += 1;
    kept += 1;
  }
  return { bytes: fields.bytes.subarray(0, kept * width), ...(!keepsAll && { locals }) };
}
