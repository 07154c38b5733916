/** The header of compiled Python modules (PEP 552): the version of the bytecode, and what it is held against. */
import type { ByteSource } from './byte-source';
import { Fields } from './fields';

export interface PycHeader {
  readonly version: number;
  /** A time and size of the source, or a digest of it. */
  readonly against: string;
  /** Bytes of the header. */
  readonly length: number;
}

const LENGTH = 16;
const BY_DIGEST = 1;

/** Undefined for what is none. */
export function readPycHeader(source: ByteSource): PycHeader | undefined {
  if (source.size < LENGTH) return undefined;
  const fields = new Fields(source.read(0, LENGTH), true);
  // The magic number ends so that a file read as text is seen to be damaged.
  if (fields.u16(2) !== 0x0a0d) return undefined;
  const flags = fields.u32(4);
  const against =
    (flags & BY_DIGEST) !== 0
      ? `the source of digest ${Buffer.from(source.read(8, 8)).toString('hex')}`
      : `the source of ${new Date(fields.u32(8) * 1000).toISOString()}, ${String(fields.u32(12))} bytes`;
  return { version: fields.u16(0), against, length: LENGTH };
}
