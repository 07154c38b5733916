/** Bytes that are read at any offset: those of a file, or those in memory. */
export interface ByteSource {
  readonly size: number;
  read(offset: number, length: number): Uint8Array;
}

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
