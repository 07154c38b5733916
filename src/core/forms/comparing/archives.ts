/** Archives and folders as trees: what they hold, and what they say about it. */
import { TO_READ } from '../../disk/to-read';
import { closeSync, fstatSync, lstatSync, openSync, readSync } from 'node:fs';
import { join } from 'node:path';
import { gunzipSync } from 'node:zlib';
import { walkFolder } from '../../disk/walk';
import { sourceOfBytes, type ByteSource } from '../../formats/byte-source';
import { listTar } from '../../formats/tar';
import { formatDosTime, METHOD_DEFLATED, METHOD_STORED, openZip, readEntry, type ZipEntry } from '../../formats/zip';
import type { Content, Tree, TreeEntry } from './model';

/** Larger entries are not unpacked; where they differ is told by their sums. */
const MOST_UNPACKED = 512 * 1024 ** 2;
const MOST_GZIP = 1024 ** 3;

/** A zip archive as a tree. @param name for messages @throws ZipFaultError where its directory cannot be read */
export function zipTree(source: ByteSource, name: string): Tree {
  const { entries } = openZip(source, name);
  return { as: 'zip archive', entries: entries.map((entry) => zipEntry(source, entry)) };
}

function zipEntry(source: ByteSource, entry: ZipEntry): TreeEntry {
  const { path, kind, size, mode, target, time, method, crc32, dataOffset, compressedSize } = entry;
  const packing =
    method === METHOD_STORED ? 'stored' : method === METHOD_DEFLATED ? 'deflated' : `method ${String(method)}`;
  return {
    path,
    kind,
    size,
    mode,
    target,
    said: { time: [formatDosTime(time)], ...(mode === undefined && { tool: ['no permissions'] }) },
    raw: { source, at: dataOffset, length: compressedSize, method: packing },
    sum: crc32.toString(16),
    open: () => sourceOfBytes(readEntry(source, entry, MOST_UNPACKED)),
  };
}

/** A tar archive as a tree. @param name for messages */
export function tarTree(source: ByteSource, name: string): Tree {
  const entries = [...listTar(source, name)].map(({ head, at }): TreeEntry => {
    const { path, kind, size, mode, target, mtimeSeconds, uid, gid } = head;
    return {
      path,
      kind: kind === 'file' || kind === 'link' || kind === 'folder' ? kind : 'other',
      size,
      mode: mode & 0o7777,
      target,
      said: {
        time: [new Date(mtimeSeconds * 1000).toISOString()],
        owner: [`user ${String(uid)}`, `group ${String(gid)}`],
      },
      raw: { source, at, length: size, method: 'stored' },
      open: () => part(source, at, size),
    };
  });
  return { as: 'tar archive', entries };
}

/** A stretch of a source as a source of its own. @param at byte that it begins at */
export function part(source: ByteSource, at: number, size: number): ByteSource {
  return { size, read: (offset, length) => source.read(at + offset, length) };
}

/** A folder on disk, without what stands for itself there: times and owners are those of whoever unpacked it. */
export function folderTree(folder: string, shown: string): Tree {
  const { items } = walkFolder(folder, shown, { links: 'keep', enter: () => true, take: () => true });
  const entries = items.map((item): TreeEntry => {
    const path = join(folder, item.path);
    const stat = lstatSync(path);
    const isFile = item.kind === 'file';
    return {
      path: item.path,
      kind: item.kind,
      size: isFile ? stat.size : 0,
      mode: stat.mode & 0o777,
      said: {},
      ...(item.kind === 'link' && { target: item.target }),
      ...(isFile && { raw: { source: lazyFile(path, stat.size), at: 0, length: stat.size, method: 'stored' } }),
      open: () => lazyFile(path, stat.size),
    };
  });
  return { as: 'folder', entries };
}

/** A file that is opened for each read, so that a folder of any size needs no open files. */
export function lazyFile(path: string, size: number): ByteSource {
  return {
    size,
    read(offset, length) {
      const fd = openSync(path, TO_READ);
      try {
        const bytes = Buffer.allocUnsafe(Math.min(length, Math.max(0, fstatSync(fd).size - offset)));
        const read = readSync(fd, bytes, 0, bytes.length, offset);
        return bytes.subarray(0, read);
      } finally {
        closeSync(fd);
      }
    },
  };
}

export interface Unzipped {
  readonly content: ByteSource;
  /** What the header says (RFC 1952, 2.3). */
  readonly time: string;
  readonly tool: string;
  readonly name: string;
}

const SYSTEMS: Readonly<Record<number, string>> = { 0: 'FAT', 3: 'Unix', 7: 'Macintosh', 11: 'NTFS', 255: 'unknown' };
const FLAG_EXTRA = 4;
const FLAG_NAME = 8;

/** @throws for what is no gzip file, or one that unpacks to too much */
export function gunzip(source: ByteSource): Unzipped {
  const head = Buffer.from(source.read(0, Math.min(1024, source.size)));
  const flags = head[3] ?? 0;
  const at = 10 + ((flags & FLAG_EXTRA) !== 0 ? 2 + head.readUInt16LE(10) : 0);
  const end = head.indexOf(0, at);
  return {
    content: sourceOfBytes(gunzipSync(source.read(0, source.size), { maxOutputLength: MOST_GZIP })),
    time: head.readUInt32LE(4) === 0 ? 'none' : new Date(head.readUInt32LE(4) * 1000).toISOString(),
    tool: `made on ${SYSTEMS[head[9] ?? 255] ?? String(head[9])}, extra flags ${String(head[8])}`,
    name: (flags & FLAG_NAME) !== 0 && end > at ? head.toString('latin1', at, end) : 'none',
  };
}

function startsWith({ source }: Content, ...bytes: readonly number[]): boolean {
  if (source.size < bytes.length) return false;
  const start = source.read(0, bytes.length);
  return bytes.every((byte, i) => start[i] === byte);
}

/** Whether content begins as a zip archive does. */
export function isZip(content: Content): boolean {
  return startsWith(content, 0x50, 0x4b, 3, 4) || startsWith(content, 0x50, 0x4b, 5, 6);
}

/** Whether content begins as a tar archive does (POSIX.1, ustar). */
export function isTar({ source }: Content): boolean {
  return source.size >= 512 && Buffer.from(source.read(257, 5)).toString('latin1') === 'ustar';
}

/** Whether content begins as a gzip file of deflated data does (RFC 1952). */
export function isGzip(content: Content): boolean {
  return startsWith(content, 0x1f, 0x8b, 8);
}
