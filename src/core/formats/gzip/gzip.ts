/** Writes gzip files (RFC 1952) by our own encoder, so that the bytes are the same on every machine. */
import { crc32 } from 'node:zlib';
import { deflateWhole } from '../deflate';

/** Whether bytes begin as a gzip file does (RFC 1952, 2.3.1). */
export function isGzip(start: Uint8Array): boolean {
  return start[0] === 0x1f && start[1] === 0x8b;
}

/** RFC 1952 2.3: magic, method 8, no flags, no time, no extra flags, system unknown (255). */
export const GZIP_HEADER = Uint8Array.of(0x1f, 0x8b, 8, 0, 0, 0, 0, 0, 0, 255);

/** RFC 1952 2.3: the checksum of what was compressed, and its length. */
export function gzipTrailer(sum: number, length: number): Buffer {
  const trailer = Buffer.alloc(8);
  trailer.writeUInt32LE(sum, 0);
  trailer.writeUInt32LE(length % 2 ** 32, 4);
  return trailer;
}

/** One member of gzip without name and time (RFC 1952), by our own encoder. */
export function gzip(bytes: Uint8Array): Buffer {
  return Buffer.concat([GZIP_HEADER, deflateWhole(bytes), gzipTrailer(crc32(bytes), bytes.length)]);
}
