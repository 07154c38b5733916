/** What the code of an assembly calls in others, with the text that it gives (ECMA-335, II.25.4 and III). */
import { Fields } from '../fields';
import type { PeImage } from './image';
import type { Metadata } from './metadata';
import { fullName } from './names';
import { TABLE } from './tables';

export interface ForeignCall {
  /** Full name of the type, and the name of its method. */
  readonly type: string;
  readonly member: string;
  /** The constant text that was loaded for it last, with nothing but numbers behind. */
  readonly text?: string;
  /** Something else is taken where it gives nothing back. */
  readonly hasDefault: boolean;
  /** The type whose code calls. */
  readonly by: string;
}

const [TINY, FAT] = [0x2, 0x3];
const FAT_HEADER_BYTES = 12;
const MOST_CODE_BYTES = 16 * 1024 * 1024;
const [LOAD_TEXT, SWITCH, COPY, TWO_BYTES] = [0x72, 0x45, 0x25, 0xfe];
/** `call`, `callvirt`, `newobj`. */
const CALLS: ReadonlySet<number> = new Set([0x28, 0x6f, 0x73]);
const BRANCHES_IF_THERE: ReadonlySet<number> = new Set([0x2d, 0x3a]);
/** `ldc.i4` in its forms, which give numbers and truth values. */
const isNumber = (code: number): boolean => code >= 0x15 && code <= 0x20;

/** Bytes behind instructions (III.1.2.1 and the tables of III.3 and III.4); none for all others. */
const OPERANDS = operandBytes([
  [1, 0x0e, 0x13],
  [1, 0x1f, 0x1f],
  [4, 0x20, 0x20],
  [8, 0x21, 0x21],
  [4, 0x22, 0x22],
  [8, 0x23, 0x23],
  [4, 0x27, 0x29],
  [1, 0x2b, 0x37],
  [4, 0x38, 0x44],
  [4, 0x6f, 0x75],
  [4, 0x79, 0x79],
  [4, 0x7b, 0x81],
  [4, 0x8c, 0x8d],
  [4, 0x8f, 0x8f],
  [4, 0xa3, 0xa5],
  [4, 0xc2, 0xc2],
  [4, 0xc6, 0xc6],
  [4, 0xd0, 0xd0],
  [4, 0xdd, 0xdd],
  [1, 0xde, 0xde],
]);
/** Those of instructions of two bytes, by the second. */
const LONG_OPERANDS = operandBytes([
  [4, 0x06, 0x07],
  [2, 0x09, 0x0e],
  [1, 0x12, 0x12],
  [4, 0x15, 0x16],
  [1, 0x19, 0x19],
  [4, 0x1c, 0x1c],
]);

function operandBytes(ranges: readonly (readonly [bytes: number, first: number, last: number])[]): Uint8Array {
  const all = new Uint8Array(256);
  for (const [bytes, first, last] of ranges) all.fill(bytes, first, last + 1);
  return all;
}

/** Calls of methods that other assemblies have. @throws RangeError for code that leads outside the file */
export function* foreignCalls(image: PeImage, metadata: Metadata): Generator<ForeignCall> {
  const { tables } = metadata;
  const types = tables.rows('TypeDef');
  for (let type = 1; type <= types; type++) {
    const by = fullName(metadata, { table: 'TypeDef', row: type });
    const end = type === types ? tables.rows('MethodDef') + 1 : tables.cell('TypeDef', type + 1, 5);
    for (let method = tables.cell('TypeDef', type, 5); method < end; method++) {
      const address = tables.cell('MethodDef', method, 0);
      const code = address === 0 ? undefined : codeAt(image, address);
      if (code !== undefined) yield* callsIn(code, metadata, by);
    }
  }
}

/** II.25.4.2 and II.25.4.3; undefined for native code. */
function codeAt(image: PeImage, address: number): Fields | undefined {
  const first = image.at({ address, size: 1 }).u8(0);
  if ((first & 0x3) === TINY) return image.at({ address: address + 1, size: first >>> 2 });
  if ((first & 0x3) !== FAT) return undefined;
  const size = image.at({ address, size: FAT_HEADER_BYTES }).u32(4);
  if (size > MOST_CODE_BYTES) throw new RangeError('a method larger than any');
  return image.at({ address: address + FAT_HEADER_BYTES, size });
}

function* callsIn(code: Fields, metadata: Metadata, by: string): Generator<ForeignCall> {
  const { bytes } = code;
  let text: string | undefined;
  for (let at = 0; at < bytes.length;) {
    const first = bytes[at] ?? 0;
    const operand = at + (first === TWO_BYTES ? 2 : 1);
    at = endOf(code, at, operand);
    if (CALLS.has(first)) {
      const member = foreignMember(metadata, code.u32(operand));
      const hasDefault = bytes[at] === COPY && BRANCHES_IF_THERE.has(bytes[at + 1] ?? 0);
      if (member !== undefined) yield { ...member, ...(text !== undefined && { text }), hasDefault, by };
    }
    if (first === LOAD_TEXT) text = metadata.userString(code.u32(operand) & 0xffffff);
    else if (!isNumber(first)) text = undefined;
  }
}

/** Where the next instruction begins. */
function endOf(code: Fields, at: number, operand: number): number {
  const first = code.bytes[at] ?? 0;
  if (first === SWITCH) return operand + 4 + 4 * code.u32(operand);
  const bytes = first === TWO_BYTES ? LONG_OPERANDS[code.bytes[at + 1] ?? 0] : OPERANDS[first];
  return operand + (bytes ?? 0);
}

/** What a token says is called, where that is of another assembly; of generic methods, what they are made of. */
function foreignMember(metadata: Metadata, token: number): Pick<ForeignCall, 'type' | 'member'> | undefined {
  let [table, row] = [token >>> 24, token & 0xffffff];
  if (table === TABLE.MethodSpec) {
    const made = metadata.reference('MethodSpec', row, 0, 'MethodDefOrRef');
    if (made?.table !== 'MemberRef') return undefined;
    [table, row] = [TABLE.MemberRef, made.row];
  }
  if (table !== TABLE.MemberRef) return undefined;
  const parent = metadata.reference('MemberRef', row, 0, 'MemberRefParent');
  if (parent?.table !== 'TypeRef') return undefined;
  return { type: fullName(metadata, parent), member: metadata.name('MemberRef', row, 1) };
}
