/** Bytes that are read at any offset: those of a file, or those in memory. */
export interface ByteSource {
  readonly size: number;
  read(offset: number, length: number): Uint8Array;
  /** The same into bytes that are there, for those who read much and keep nothing. */
  readInto?(offset: number, bytes: Uint8Array): void;
}

/** Bytes that are in memory, to be read like a file. */
export function sourceOfBytes(bytes: Uint8Array): ByteSource {
  return { size: bytes.length, read: (offset, length) => bytes.subarray(offset, offset + length) };
}

/**
 * A stretch that must be there.
 * @throws RangeError where it is not
 */
export function stretchOf(source: ByteSource, offset: number, length: number): Uint8Array {
  if (offset < 0 || length < 0 || offset + length > source.size)
    throw new RangeError(`${String(length)} bytes at offset ${String(offset)} of ${String(source.size)}`);
  return source.read(offset, length);
}

const STEP = 1024 * 1024;

/** Bytes in pieces, one after the other. */
export function* stretches(size: number, read: (at: number, length: number) => Uint8Array): Generator<Uint8Array> {
  for (let at = 0; at < size; at += STEP) yield read(at, Math.min(STEP, size - at));
}

/** Where two sources first differ, or one of them ends; undefined where they are the same. */
export function firstDifferentByte(a: ByteSource, b: ByteSource): number | undefined {
  const common = Math.min(a.size, b.size);
  for (let at = 0; at < common; at += STEP) {
    const length = Math.min(STEP, common - at);
    const [x, y] = [a.read(at, length), b.read(at, length)];
    if (Buffer.compare(x, y) === 0) continue;
    return at + x.findIndex((byte, i) => byte !== y[i]);
  }
  return a.size === b.size ? undefined : common;
}

/** `0x7f`, or that it ends there, for messages. */
export function byteAt(source: ByteSource, at: number): string {
  if (at >= source.size) return 'the end';
  return `0x${(source.read(at, 1)[0] ?? 0).toString(16).padStart(2, '0')}`;
}
