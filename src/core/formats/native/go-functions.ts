/**
 * The table of functions that programs in Go carry for stack traces, stripped or not: `.gopclntab`, as versions 1.18 and
 * later write it (Go source, runtime/symtab.go, `pcHeader` and `functab`).
 */
import { isRangeError } from '../../base/errors';
import { Fields } from '../fields';

export interface GoFunction {
  readonly name: string;
  /** Bytes of code. */
  readonly size: number;
}

const MAGICS: ReadonlySet<number> = new Set([0xfffffff0, 0xfffffff1]);
const MAX_FUNCTIONS = 2_000_000;

/** @param table the section @returns undefined for a table of another version */
export function goFunctions(table: Uint8Array, littleEndian: boolean): GoFunction[] | undefined {
  try {
    const fields = new Fields(table, littleEndian);
    const pointer = fields.u8(7);
    if (!MAGICS.has(fields.u32(0)) || (pointer !== 4 && pointer !== 8)) return undefined;
    const word = (i: number): number => (pointer === 8 ? fields.u64(8 + i * pointer) : fields.u32(8 + i * pointer));
    const [count, namesAt, functionsAt] = [word(0), word(3), word(7)];
    if (count > MAX_FUNCTIONS) return undefined;
    // Each row: where its code begins, from the first on, and where its record is.
    return Array.from({ length: count }, (_, i): GoFunction => {
      const row = functionsAt + i * 8;
      const record = functionsAt + fields.u32(row + 4);
      return {
        name: fields.text(namesAt + fields.u32(record + 4)),
        size: Math.max(0, fields.u32(row + 8) - fields.u32(row)),
      };
    });
  } catch (error) {
    if (isRangeError(error)) return undefined;
    throw error;
  }
}
