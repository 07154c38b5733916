/** The Code attribute (JVMS 4.7.3) and its instructions (JVMS 6.5). */
import { ByteReader, ByteWriter, ClassFormatError } from './bytes';
import { list, readAttributes, writeAttributes, type Attribute } from './class-file';
import type { ConstantPool } from './pool';

export interface Code {
  readonly maxStack: number;
  readonly maxLocals: number;
  readonly code: Uint8Array;
  readonly handlers: readonly {
    readonly start: number;
    readonly end: number;
    readonly at: number;
    readonly type: number;
  }[];
  readonly attributes: readonly Attribute[];
}

/** The Code attribute, taken apart (JVMS 4.7.3). @throws RangeError where it leads outside */
export function readCode(data: Uint8Array, pool: ConstantPool): Code {
  const reader = new ByteReader(data);
  const [maxStack, maxLocals] = [reader.u2(), reader.u2()];
  const code = reader.take(reader.u4());
  const handlers = list(reader, () => ({ start: reader.u2(), end: reader.u2(), at: reader.u2(), type: reader.u2() }));
  return { maxStack, maxLocals, code, handlers, attributes: readAttributes(reader, pool) };
}

/** The Code attribute (JVMS 4.7.3). */
export function writeCode({ maxStack, maxLocals, code, handlers, attributes }: Code): Uint8Array {
  const writer = new ByteWriter();
  writer.u2(maxStack);
  writer.u2(maxLocals);
  writer.u4(code.length);
  writer.put(code);
  writer.u2(handlers.length);
  for (const { start, end, at, type } of handlers) for (const value of [start, end, at, type]) writer.u2(value);
  writeAttributes(writer, attributes);
  return writer.finish();
}

export const OP = {
  ldc: 18,
  ldcWide: 19,
  ldc2Wide: 20,
  getstatic: 178,
  putstatic: 179,
  getfield: 180,
  putfield: 181,
  invokevirtual: 182,
  invokespecial: 183,
  invokestatic: 184,
  invokeinterface: 185,
  invokedynamic: 186,
  new: 187,
  anewarray: 189,
  checkcast: 192,
  instanceof: 193,
  multianewarray: 197,
  tableswitch: 170,
  lookupswitch: 171,
  wide: 196,
} as const;

/** Bytes of each instruction with its operands; 0 for those whose length varies or that are none. */
const LENGTHS = ((): Uint8Array => {
  const lengths = new Uint8Array(256);
  const set = (from: number, to: number, length: number): void => {
    lengths.fill(length, from, to + 1);
  };
  set(0, 15, 1);
  set(16, 16, 2);
  set(17, 17, 3);
  set(18, 18, 2);
  set(19, 20, 3);
  set(21, 25, 2);
  set(26, 53, 1);
  set(54, 58, 2);
  set(59, 131, 1);
  set(132, 132, 3);
  set(133, 152, 1);
  set(153, 168, 3);
  set(169, 169, 2);
  set(172, 177, 1);
  set(178, 184, 3);
  set(185, 186, 5);
  set(187, 187, 3);
  set(188, 188, 2);
  set(189, 189, 3);
  set(190, 191, 1);
  set(192, 193, 3);
  set(194, 195, 1);
  set(197, 197, 4);
  set(198, 199, 3);
  set(200, 201, 5);
  return lengths;
})();

export interface Instruction {
  readonly at: number;
  readonly op: number;
  readonly length: number;
}

/** @throws ClassFormatError for what is no instruction */
export function* instructions(code: Uint8Array): Generator<Instruction> {
  for (let at = 0; at < code.length;) {
    const op = code[at] ?? 0;
    const length = lengthAt(code, at, op);
    if (length <= 0 || at + length > code.length) throw new ClassFormatError(`no instruction (${String(op)})`, at);
    yield { at, op, length };
    at += length;
  }
}

function lengthAt(code: Uint8Array, at: number, op: number): number {
  if (op === OP.wide) return code[at + 1] === 132 ? 6 : 4;
  if (op !== OP.tableswitch && op !== OP.lookupswitch) return LENGTHS[op] ?? 0;
  // Operands begin at the next multiple of four.
  const start = (at + 4) & ~3;
  const reader = new ByteReader(code, start);
  reader.skip(4);
  if (op === OP.lookupswitch) return start - at + 8 + 8 * reader.u4();
  const low = reader.s4();
  return start - at + 12 + 4 * (reader.s4() - low + 1);
}

/** Two bytes of code, big endian. */
export function u2At(code: Uint8Array, at: number): number {
  return ((code[at] ?? 0) << 8) | (code[at + 1] ?? 0);
}

/** Constants that code names, with the instruction that does. */
export function* constantUses(
  code: Uint8Array,
): Generator<{ readonly op: number; readonly at: number; readonly index: number }> {
  for (const { at, op } of instructions(code)) {
    if (op === OP.ldc) yield { op, at, index: code[at + 1] ?? 0 };
    else if (
      op === OP.ldcWide ||
      op === OP.ldc2Wide ||
      (op >= OP.getstatic && op <= OP.new) ||
      op === OP.anewarray ||
      op === OP.checkcast ||
      op === OP.instanceof ||
      op === OP.multianewarray
    )
      yield { op, at, index: u2At(code, at + 1) };
  }
}
