/** Digests of files, and of what is in memory. */
import { TO_READ } from './to-read';
import { createHash } from 'node:crypto';
import { closeSync, openSync, readSync } from 'node:fs';

export { contentDigest } from '../base/digest';

/** The same memory for every file: a thousand small ones would take a thousand times as much. */
let chunk: Buffer | undefined;

/** SHA-256 of a file, in hexadecimal, read in pieces. */
export function fileDigest(path: string): string {
  const fd = openSync(path, TO_READ);
  try {
    const hash = createHash('sha256');
    chunk ??= Buffer.allocUnsafe(256 * 1024);
    for (let n = readSync(fd, chunk, 0, chunk.length, null); n > 0; n = readSync(fd, chunk, 0, chunk.length, null))
      hash.update(chunk.subarray(0, n));
    return hash.digest('hex');
  } finally {
    closeSync(fd);
  }
}
