/** Numbers and texts at offsets of a record, in either byte order. What leads outside the record throws a RangeError. */

const MAX_TEXT = 4096;

export class Fields {
  readonly bytes: Uint8Array;
  readonly littleEndian: boolean;
  readonly #view: DataView;

  constructor(bytes: Uint8Array, littleEndian: boolean) {
    this.bytes = bytes;
    this.littleEndian = littleEndian;
    this.#view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  }

  u8(at: number): number {
    return this.#view.getUint8(at);
  }

  u16(at: number): number {
    return this.#view.getUint16(at, this.littleEndian);
  }

  u32(at: number): number {
    return this.#view.getUint32(at, this.littleEndian);
  }

  /** A number of 64 bits; those too large to be an offset anywhere are refused. */
  u64(at: number): number {
    const value = this.#view.getBigUint64(at, this.littleEndian);
    if (value > BigInt(Number.MAX_SAFE_INTEGER)) throw new RangeError('a number beyond every file');
    return Number(value);
  }

  /** Text up to a zero byte. */
  text(at: number): string {
    const end = this.bytes.indexOf(0, at);
    if (at >= this.bytes.length || end < 0 || end - at > MAX_TEXT) throw new RangeError('a text without an end');
    return Buffer.from(this.bytes.buffer, this.bytes.byteOffset + at, end - at).toString('latin1');
  }

  setU16(at: number, value: number): void {
    this.#view.setUint16(at, value, this.littleEndian);
  }

  setU32(at: number, value: number): void {
    this.#view.setUint32(at, value, this.littleEndian);
  }

  setU64(at: number, value: number): void {
    this.#view.setBigUint64(at, BigInt(value), this.littleEndian);
  }
}
