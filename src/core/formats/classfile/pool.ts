/** The constant pool of a class (JVMS 4.4): read once, looked up by index, and extended, never reordered. */
import { ClassFormatError, type ByteReader, type ByteWriter } from './bytes';
import { decodeMutf8, encodeMutf8 } from './mutf8';

export const TAG = {
  utf8: 1,
  integer: 3,
  float: 4,
  long: 5,
  double: 6,
  class: 7,
  string: 8,
  fieldref: 9,
  methodref: 10,
  interfaceMethodref: 11,
  nameAndType: 12,
  methodHandle: 15,
  methodType: 16,
  dynamic: 17,
  invokeDynamic: 18,
  module: 19,
  package: 20,
} as const;

/** Bytes behind the tag, by tag; Utf8 has its own length. */
const SIZES: readonly (number | undefined)[] = [
  ...[undefined, 2, undefined, 4, 4, 8, 8, 2, 2, 4, 4],
  ...[4, 4, undefined, undefined, 3, 2, 4, 4, 2, 2],
];

/** A member of some class: what a Fieldref, Methodref or InterfaceMethodref names. */
export interface MemberRef {
  readonly owner: string;
  readonly name: string;
  readonly descriptor: string;
}

export class ConstantPool {
  /** Where each constant begins in `#bytes` (its tag); 0 for what is no constant. */
  readonly #at: number[] = [0];
  readonly #bytes: Uint8Array;
  /** Texts that were put in the place of those that were read, and new ones, by index. */
  readonly #changed = new Map<number, Uint8Array>();
  /** References that were changed, or that are new: the tag and what stands behind it. */
  readonly #refs = new Map<number, { readonly tag: number; readonly values: readonly number[] }>();
  readonly #texts = new Map<number, string>();

  private constructor(bytes: Uint8Array) {
    this.#bytes = bytes;
  }

  static read(reader: ByteReader): ConstantPool {
    const pool = new ConstantPool(reader.bytes);
    const count = reader.u2();
    if (count === 0) throw new ClassFormatError('a constant pool of no size', reader.at);
    while (pool.#at.length < count) {
      const at = reader.at;
      const tag = reader.u1();
      const size = SIZES[tag];
      if (size === undefined) throw new ClassFormatError(`a constant of unknown kind ${String(tag)}`, at);
      reader.skip(tag === TAG.utf8 ? reader.u2() : size);
      pool.#at.push(at);
      // Eight-byte constants take two places (JVMS 4.4.5).
      if (tag === TAG.long || tag === TAG.double) pool.#at.push(0);
    }
    if (pool.#at.length > count) throw new ClassFormatError('a constant that takes two places at the end', reader.at);
    return pool;
  }

  get size(): number {
    return this.#at.length;
  }

  get isChanged(): boolean {
    return this.#changed.size > 0 || this.#refs.size > 0;
  }

  /** The tag of a constant; 0 for the place behind an eight-byte one. */
  tag(index: number): number {
    const changed = this.#refs.get(index);
    if (changed !== undefined) return changed.tag;
    if (this.#changed.has(index)) return TAG.utf8;
    const at = this.#at[index];
    return at === undefined || at === 0 ? 0 : (this.#bytes[at] ?? 0);
  }

  /** One of the two-byte numbers behind the tag. */
  value(index: number, position = 0): number {
    const changed = this.#refs.get(index);
    if (changed !== undefined) return changed.values[position] ?? 0;
    const at = (this.#at[index] ?? 0) + 1 + 2 * position;
    return ((this.#bytes[at] ?? 0) << 8) | (this.#bytes[at + 1] ?? 0);
  }

  utf8Bytes(index: number): Uint8Array {
    const changed = this.#changed.get(index);
    if (changed !== undefined) return changed;
    this.#want(index, TAG.utf8);
    const at = this.#at[index] ?? 0;
    return this.#bytes.subarray(at + 3, at + 3 + this.value(index));
  }

  text(index: number): string {
    let text = this.#texts.get(index);
    if (text === undefined) {
      text = decodeMutf8(this.utf8Bytes(index));
      this.#texts.set(index, text);
    }
    return text;
  }

  /** Internal name of a class, `java/lang/String`; arrays as their descriptors. */
  className(index: number): string {
    this.#want(index, TAG.class);
    return this.text(this.value(index));
  }

  string(index: number): string {
    this.#want(index, TAG.string);
    return this.text(this.value(index));
  }

  nameAndType(index: number): { name: string; descriptor: string } {
    this.#want(index, TAG.nameAndType);
    return { name: this.text(this.value(index)), descriptor: this.text(this.value(index, 1)) };
  }

  member(index: number): MemberRef {
    const tag = this.tag(index);
    if (tag !== TAG.fieldref && tag !== TAG.methodref && tag !== TAG.interfaceMethodref)
      throw new ClassFormatError(`constant ${String(index)} names no member`, this.#at[index] ?? 0);
    return { owner: this.className(this.value(index)), ...this.nameAndType(this.value(index, 1)) };
  }

  /** What a method handle points to: its kind and the constant of the member. */
  methodHandle(index: number): { kind: number; member: number } {
    this.#want(index, TAG.methodHandle);
    const at = this.#at[index] ?? 0;
    return { kind: this.#bytes[at + 1] ?? 0, member: ((this.#bytes[at + 2] ?? 0) << 8) | (this.#bytes[at + 3] ?? 0) };
  }

  /** Puts another text in the place of one. */
  setText(index: number, text: string): void {
    this.#changed.set(index, encodeMutf8(text));
    this.#texts.set(index, text);
  }

  /** Adds a text. @returns its index */
  addText(text: string): number {
    const index = this.#next();
    this.setText(index, text);
    return index;
  }

  /** Puts another reference in the place of one; or of one of the numbers behind its tag. */
  setRef(index: number, tag: number, values: readonly number[]): void {
    this.#refs.set(index, { tag, values });
  }

  /** All indices of constants, ascending. */
  *indices(): Generator<number> {
    for (let i = 1; i < this.#at.length; i++) if (this.tag(i) !== 0) yield i;
  }

  write(writer: ByteWriter): void {
    writer.u2(this.#at.length);
    for (const index of this.indices()) {
      const ref = this.#refs.get(index);
      const text = this.#changed.get(index);
      if (ref !== undefined) {
        writer.u1(ref.tag);
        for (const value of ref.values) writer.u2(value);
      } else if (text !== undefined) {
        writer.u1(TAG.utf8);
        if (text.length > 0xffff) throw new ClassFormatError('a text that has become too long', index);
        writer.u2(text.length);
        writer.put(text);
      } else this.#copy(index, writer);
    }
  }

  #copy(index: number, writer: ByteWriter): void {
    const at = this.#at[index] ?? 0;
    const tag = this.#bytes[at] ?? 0;
    const size = tag === TAG.utf8 ? 2 + this.value(index) : (SIZES[tag] ?? 0);
    writer.put(this.#bytes.subarray(at, at + 1 + size));
  }

  #next(): number {
    if (this.#at.length >= 0xffff) throw new ClassFormatError('a constant pool that is full', 0);
    this.#at.push(0);
    return this.#at.length - 1;
  }

  #want(index: number, tag: number): void {
    if (this.tag(index) !== tag)
      throw new ClassFormatError(
        `constant ${String(index)} is of kind ${String(this.tag(index))}, not ${String(tag)}`,
        this.#at[index] ?? 0,
      );
  }
}
