/**
 * What is known of the arguments of calls: constants that were pushed just before. Whatever is not followed counts as
 * unknown: what a jump leads to begins with an empty memory, and so does what comes after anything unusual.
 */
import {
  instructions,
  OP,
  parameterTypes,
  returnType,
  TAG,
  u2At,
  type ConstantPool,
  type MemberRef,
} from '../../../formats/classfile';

/** A value on the stack, as far as it is known. */
export type Known = { readonly string: string } | { readonly type: string } | undefined;

export interface Call {
  readonly op: number;
  readonly at: number;
  readonly member: MemberRef;
  /** Arguments without the receiver. */
  readonly args: readonly Known[];
}

/** Tells of each call in a method what constants are its arguments, as far as the stack shows them within one block. */
export function eachCall(
  code: Uint8Array,
  pool: ConstantPool,
  handlers: readonly { readonly at: number }[],
  tell: (call: Call) => void,
): void {
  const targets = jumpTargets(code);
  for (const { at } of handlers) targets.add(at);
  let stack: Known[] = [];
  for (const { at, op } of instructions(code)) {
    if (targets.has(at)) stack = [];
    if (op >= OP.invokevirtual && op <= OP.invokedynamic) invoke(op, at, code, pool, stack, tell);
    else if (!step(op, at, code, pool, stack)) stack = [];
  }
}

function invoke(
  op: number,
  at: number,
  code: Uint8Array,
  pool: ConstantPool,
  stack: Known[],
  tell: (call: Call) => void,
): void {
  const index = u2At(code, at + 1);
  const isDynamic = op === OP.invokedynamic;
  const member = isDynamic ? { owner: '', ...pool.nameAndType(pool.value(index, 1)) } : pool.member(index);
  const args: Known[] = parameterTypes(member.descriptor)
    .map(() => stack.pop())
    .reverse();
  if (!isDynamic && op !== OP.invokestatic) stack.pop();
  if (!isDynamic) tell({ op, at, member, args });
  if (returnType(member.descriptor) !== 'V') stack.push(undefined);
}

/** What an instruction takes from the stack and puts there, where that is followed: constants and loads, fields, stores. */
const EFFECTS = ((): ReadonlyMap<number, readonly [taken: number, put: number]> => {
  const effects = new Map<number, readonly [number, number]>();
  const set = (from: number, to: number, taken: number, put: number): void => {
    for (let op = from; op <= to; op++) effects.set(op, [taken, put]);
  };
  set(0, 0, 0, 0);
  // Constants and loads of every kind push one value; a long counts as one here.
  set(1, 45, 0, 1);
  set(54, 78, 1, 0);
  set(79, 86, 3, 0);
  set(87, 87, 1, 0);
  set(188, 190, 1, 1);
  set(OP.getstatic, OP.getstatic, 0, 1);
  set(OP.putstatic, OP.putstatic, 1, 0);
  set(OP.getfield, OP.getfield, 1, 1);
  set(OP.new, OP.new, 0, 1);
  set(OP.checkcast, OP.checkcast, 0, 0);
  return effects;
})();
const DUP = 89;

/** @returns false for what is not followed */
function step(op: number, at: number, code: Uint8Array, pool: ConstantPool, stack: Known[]): boolean {
  if (op === OP.ldc || op === OP.ldcWide) {
    stack.push(constant(op === OP.ldc ? (code[at + 1] ?? 0) : u2At(code, at + 1), pool));
    return true;
  }
  if (op === DUP) {
    stack.push(stack.at(-1));
    return true;
  }
  const effect = EFFECTS.get(op);
  if (effect === undefined) return false;
  const [taken, put] = effect;
  if (taken > 0) stack.splice(-taken);
  if (put > 0) stack.push(undefined);
  return true;
}

function constant(index: number, pool: ConstantPool): Known {
  const tag = pool.tag(index);
  if (tag === TAG.string) return { string: pool.string(index) };
  return tag === TAG.class ? { type: pool.className(index) } : undefined;
}

function jumpTargets(code: Uint8Array): Set<number> {
  const targets = new Set<number>();
  const view = new DataView(code.buffer, code.byteOffset, code.length);
  for (const { at, op, length } of instructions(code)) {
    if ((op >= 153 && op <= 168) || op === 198 || op === 199) targets.add(at + view.getInt16(at + 1));
    else if (op === 200 || op === 201) targets.add(at + view.getInt32(at + 1));
    else if (op === OP.tableswitch || op === OP.lookupswitch) switchTargets(view, at, op, at + length, targets);
  }
  return targets;
}

function switchTargets(view: DataView, at: number, op: number, end: number, targets: Set<number>): void {
  const start = (at + 4) & ~3;
  targets.add(at + view.getInt32(start));
  const [first, size] = op === OP.tableswitch ? [start + 12, 4] : [start + 12, 8];
  for (let i = first; i < end; i += size) targets.add(at + view.getInt32(i));
}
