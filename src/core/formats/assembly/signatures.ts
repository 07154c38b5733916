/** Signatures of methods: the types of parameters and results, in words (ECMA-335, II.23.2). */
import type { Metadata } from './metadata';
import { compressed } from './metadata';
import { fullName } from './names';
import { decoded } from './tables';

/** II.23.1.16. */
const PLAIN: Readonly<Record<number, string>> = {
  0x01: 'void',
  0x02: 'bool',
  0x03: 'char',
  0x04: 'sbyte',
  0x05: 'byte',
  0x06: 'short',
  0x07: 'ushort',
  0x08: 'int',
  0x09: 'uint',
  0x0a: 'long',
  0x0b: 'ulong',
  0x0c: 'float',
  0x0d: 'double',
  0x0e: 'string',
  0x16: 'typedref',
  0x18: 'nint',
  0x19: 'nuint',
  0x1c: 'object',
};
const [POINTER, BY_REFERENCE, VALUE, CLASS, OF_TYPE, ARRAY, GENERIC, FUNCTION, LIST, OF_METHOD] = [
  ...[0x0f, 0x10, 0x11, 0x12, 0x13, 0x14, 0x15, 0x1b, 0x1d, 0x1e],
] as const;
const MODIFIERS: readonly number[] = [0x1f, 0x20];
const SKIPPED: readonly number[] = [0x41, 0x45];
const IS_GENERIC = 0x10;
const MOST_DEPTH = 32;
const MOST_PARAMETERS = 256;

export interface Signature {
  readonly parameters: readonly string[];
  readonly returns: string;
}

/** @throws RangeError for what is none */
export function signatureOf(metadata: Metadata, blob: Uint8Array): Signature {
  const reader = new SignatureReader(metadata, blob);
  return reader.method();
}

class SignatureReader {
  readonly #metadata: Metadata;
  readonly #blob: Uint8Array;
  #at = 0;

  constructor(metadata: Metadata, blob: Uint8Array) {
    this.#metadata = metadata;
    this.#blob = blob;
  }

  method(depth = 0): Signature {
    const convention = this.#number();
    if ((convention & IS_GENERIC) !== 0) this.#number();
    const count = this.#number();
    if (count > MOST_PARAMETERS) throw new RangeError('more parameters than a method can have');
    const returns = this.#type(depth);
    return { returns, parameters: Array.from({ length: count }, () => this.#type(depth)) };
  }

  #number(): number {
    const [value, width] = compressed(this.#blob, this.#at);
    this.#at += width;
    return value;
  }

  #type(depth: number): string {
    if (depth > MOST_DEPTH) throw new RangeError('a type within too many others');
    let kind = this.#number();
    while (MODIFIERS.includes(kind) || SKIPPED.includes(kind)) {
      if (MODIFIERS.includes(kind)) this.#number();
      kind = this.#number();
    }
    const plain = PLAIN[kind];
    if (plain !== undefined) return plain;
    switch (kind) {
      case VALUE:
      case CLASS:
        return this.#named();
      case POINTER:
        return `${this.#type(depth + 1)}*`;
      case BY_REFERENCE:
        return `ref ${this.#type(depth + 1)}`;
      case LIST:
        return `${this.#type(depth + 1)}[]`;
      case OF_TYPE:
      case OF_METHOD:
        return `T${String(this.#number())}`;
      default:
        return this.#rare(kind, depth);
    }
  }

  #rare(kind: number, depth: number): string {
    if (kind === ARRAY) return this.#array(depth);
    if (kind === GENERIC) return this.#generic(depth);
    if (kind !== FUNCTION) throw new RangeError(`a type of the unknown kind ${String(kind)}`);
    const { returns, parameters } = this.method(depth + 1);
    return `${returns}(${parameters.join(', ')})*`;
  }

  #named(): string {
    const found = decoded('TypeDefOrRef', this.#number());
    return found === undefined ? '?' : fullName(this.#metadata, found);
  }

  #array(depth: number): string {
    const of = this.#type(depth + 1);
    const rank = this.#number();
    for (let list = 0; list < 2; list++) for (let left = this.#number(); left > 0; left--) this.#number();
    return `${of}[${','.repeat(Math.max(0, Math.min(rank, MOST_DEPTH) - 1))}]`;
  }

  #generic(depth: number): string {
    this.#number();
    const name = this.#named().replace(/`\d+$/, '');
    const count = this.#number();
    if (count > MOST_PARAMETERS) throw new RangeError('more types than a type can be of');
    return `${name}<${Array.from({ length: count }, () => this.#type(depth + 1)).join(', ')}>`;
  }
}
