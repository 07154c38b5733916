/** Unpacks a zip into a fresh folder, strictly: an archive with any fault is refused before a byte is written. */
import { closeSync, mkdirSync, openSync, symlinkSync, writeSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { entryChunks, openZip, ZipFaultError, type ByteSource, type ZipEntry } from '../../formats/zip';
import { guarded } from '../write';

/** Modes of what is unpacked: readable by all, writable by nobody. */
const FILE_MODE = 0o444;
const PROGRAM_MODE = 0o555;

/**
 * @param folder absolute path of an empty folder
 * @returns the folders that were made, deepest first; they are still writable
 */
export async function unpackZip(source: ByteSource, shown: string, folder: string): Promise<string[]> {
  const archive = openZip(source, shown);
  const [fault] = archive.faults;
  if (fault !== undefined) throw new ZipFaultError(fault, `unpacking ${shown}`);
  const folders = new Set<string>();
  const makeFolder = (path: string): void => {
    if (path === '.' || folders.has(path)) return;
    makeFolder(dirname(path));
    guarded(folder, () => mkdirSync(join(folder, path)));
    folders.add(path);
  };
  for (const entry of archive.entries) {
    makeFolder(entry.kind === 'folder' ? entry.path : dirname(entry.path));
    if (entry.kind === 'file') await writeEntry(source, entry, join(folder, entry.path));
  }
  // Links come last, so that nothing is ever written through one.
  for (const entry of archive.entries)
    if (entry.kind === 'link') guarded(folder, () => symlinkSync(entry.target ?? '', join(folder, entry.path)));
  return [...folders].reverse().map((path) => join(folder, path));
}

async function writeEntry(source: ByteSource, entry: ZipEntry, path: string): Promise<void> {
  const mode = ((entry.mode ?? 0) & 0o111) !== 0 ? PROGRAM_MODE : FILE_MODE;
  const fd = guarded(path, () => openSync(path, 'wx', mode));
  try {
    for await (const chunk of entryChunks(source, entry))
      for (let done = 0; done < chunk.length;) done += guarded(path, () => writeSync(fd, chunk, done));
  } finally {
    closeSync(fd);
  }
}
