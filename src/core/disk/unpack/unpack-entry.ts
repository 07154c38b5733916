/** Writes one file of a zip archive to a fresh place, with its digest. */
import { createHash } from 'node:crypto';
import { closeSync, openSync, writeSync } from 'node:fs';
import { entryChunks, type ByteSource, type ZipEntry } from '../../formats/zip';
import { guarded } from '../write';

/** @param path absolute; nothing may be there @returns SHA-256 in hexadecimal */
export async function unpackEntryTo(source: ByteSource, entry: ZipEntry, path: string): Promise<string> {
  const hash = createHash('sha256');
  const fd = guarded(path, () => openSync(path, 'wx', 0o644));
  try {
    for await (const chunk of entryChunks(source, entry)) {
      hash.update(chunk);
      for (let done = 0; done < chunk.length;) done += guarded(path, () => writeSync(fd, chunk, done));
    }
  } finally {
    closeSync(fd);
  }
  return hash.digest('hex');
}
