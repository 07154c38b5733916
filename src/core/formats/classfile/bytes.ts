/** Big-endian numbers in class files, never read past their end. */

/** Bytes that are no class file, with the place where that shows. */
export class ClassFormatError extends Error {
  readonly offset: number;

  constructor(what: string, offset: number) {
    super(`${what}, at byte ${String(offset)}`);
    this.name = 'ClassFormatError';
    this.offset = offset;
  }
}

export class ByteReader {
  readonly bytes: Uint8Array;
  at: number;
  readonly end: number;

  constructor(bytes: Uint8Array, at = 0, end = bytes.length) {
    this.bytes = bytes;
    this.at = at;
    this.end = end;
  }

  u1(): number {
    this.#need(1);
    return this.bytes[this.at++] ?? 0;
  }

  u2(): number {
    this.#need(2);
    const { bytes, at } = this;
    this.at += 2;
    return ((bytes[at] ?? 0) << 8) | (bytes[at + 1] ?? 0);
  }

  u4(): number {
    return this.u2() * 0x10000 + this.u2();
  }

  /** Signed, two bytes. */
  s2(): number {
    return (this.u2() << 16) >> 16;
  }

  s4(): number {
    return this.u4() | 0;
  }

  take(length: number): Uint8Array {
    this.#need(length);
    const taken = this.bytes.subarray(this.at, this.at + length);
    this.at += length;
    return taken;
  }

  skip(length: number): void {
    this.#need(length);
    this.at += length;
  }

  #need(length: number): void {
    if (this.at + length > this.end) throw new ClassFormatError('it is cut off', this.at);
  }
}

export class ByteWriter {
  #bytes = new Uint8Array(1024);
  length = 0;

  u1(value: number): void {
    this.#room(1);
    this.#bytes[this.length++] = value;
  }

  u2(value: number): void {
    this.#room(2);
    this.#bytes[this.length++] = value >>> 8;
    this.#bytes[this.length++] = value;
  }

  u4(value: number): void {
    this.u2(value >>> 16);
    this.u2(value & 0xffff);
  }

  put(bytes: Uint8Array): void {
    this.#room(bytes.length);
    this.#bytes.set(bytes, this.length);
    this.length += bytes.length;
  }

  finish(): Uint8Array {
    return this.#bytes.slice(0, this.length);
  }

  #room(more: number): void {
    if (this.length + more <= this.#bytes.length) return;
    const grown = new Uint8Array(Math.max(this.#bytes.length * 2, this.length + more));
    grown.set(this.#bytes.subarray(0, this.length));
    this.#bytes = grown;
  }
}
