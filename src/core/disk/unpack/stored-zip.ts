/** Zip archives that nobody sees but the next step, so that nothing in them is compressed. */
import {
  closeSync,
  lstatSync,
  mkdirSync,
  openSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  writeSync,
} from 'node:fs';
import { dirname, join } from 'node:path';
import { crc32 } from 'node:zlib';
import { comparePaths } from '../../base/paths';
import { DOS_FLOOR, METHOD_STORED, ZipWriter, type ZipSink } from '../../formats/zip';
import { temporaryBeside } from '../write';

export interface NamedFile {
  /** Path in the archive. */
  readonly name: string;
  /** Absolute path. */
  readonly source: string;
}

/** Every file below a folder. */
export function filesBelow(root: string, folder = ''): NamedFile[] {
  return readdirSync(join(root, folder), { withFileTypes: true }).flatMap((entry) => {
    const name = folder === '' ? entry.name : `${folder}/${entry.name}`;
    return entry.isDirectory() ? filesBelow(root, name) : [{ name, source: join(root, name) }];
  });
}

/** Writes a zip archive without compression, whole or not at all. @param path absolute */
export function writeStoredZip(path: string, files: readonly NamedFile[]): void {
  mkdirSync(dirname(path), { recursive: true });
  const temporary = temporaryBeside(path);
  const fd = openSync(temporary, 'wx', 0o666);
  const sink: ZipSink = {
    append: (bytes) => {
      for (let done = 0; done < bytes.length;) done += writeSync(fd, bytes, done);
    },
    hold: () => undefined,
    patch: () => undefined,
    release: () => undefined,
  };
  try {
    const writer = new ZipWriter(sink, DOS_FLOOR);
    for (const { name, source } of [...files].sort((a, b) => comparePaths(a.name, b.name))) {
      const data = readFileSync(source);
      const content = { method: METHOD_STORED, crc32: crc32(data), uncompressedSize: data.length, data } as const;
      writer.add({ path: name, kind: 'file', mode: lstatSync(source).mode & 0o777 }, content);
    }
    writer.finish();
    closeSync(fd);
    renameSync(temporary, path);
  } catch (error) {
    rmSync(temporary, { force: true });
    throw error;
  }
}
