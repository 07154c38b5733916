/** What the directory says of one entry: its name, its kind, its mode. */
import type { DirectoryEntry } from './directory';
import type { ZipFaultCode } from './faults';
import * as zip from './layout';

export type Report = (code: ZipFaultCode, detail: string) => void;

export type EntryKind = 'file' | 'link' | 'folder';

const strictUtf8 = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true });

/** The name of an entry: UTF-8 wherever it is that, whatever its flag says, and Latin-1 otherwise. */
export function nameOf(raw: DirectoryEntry): string {
  const plain = Buffer.from(raw.rawName.buffer, raw.rawName.byteOffset, raw.rawName.length).toString('latin1');
  if (/^[\x20-\x7e]*$/.test(plain)) return plain;
  try {
    return strictUtf8.decode(raw.rawName);
  } catch {
    return Buffer.from(raw.rawName).toString('latin1');
  }
}

/** Type and permission bits; 0 where it was made on a system without them. */
export function unixModeOf({ versionMadeBy, externalFileAttributes }: DirectoryEntry): number {
  const host = versionMadeBy >> 8;
  return host === zip.HOST_UNIX || host === zip.HOST_MACOS ? Math.floor(externalFileAttributes / 0x10000) : 0;
}

/** What an entry is, by its name and mode. @param report told where the two disagree */
export function kindOf(name: string, unixMode: number, report: Report): EntryKind {
  const type = unixMode & zip.S_IFMT;
  if (name.endsWith('/')) return 'folder';
  if (type === zip.S_IFLNK) return 'link';
  if (type === zip.S_IFDIR) report('special-file', 'its mode says folder, its name says file');
  else if (type !== 0 && type !== zip.S_IFREG) report('special-file', `its mode is 0${unixMode.toString(8)}`);
  return 'file';
}
