/**
 * Finds and reads the central directory (APPNOTE 4.3.12 to 4.3.16).
 * The directory must end where the end record begins and the archive's bytes must begin at 0: archives with something
 * put before, between or behind are refused, since readers disagree on what they hold.
 */
import { EmballageError } from '../../base/errors';
import type { ByteSource } from '../byte-source';
import * as zip from './layout';

/** One central directory header with what follows it. */
export interface DirectoryEntry {
  readonly versionMadeBy: number;
  readonly flags: number;
  readonly method: number;
  readonly lastModTime: number;
  readonly lastModDate: number;
  readonly crc32: number;
  readonly compressedSize: number;
  readonly uncompressedSize: number;
  readonly externalFileAttributes: number;
  readonly localHeaderOffset: number;
  readonly extraFieldLength: number;
  readonly rawName: Uint8Array;
}

export interface Directory {
  readonly entries: readonly DirectoryEntry[];
  /** Where the directory begins, that is, where the entries' data must end. */
  readonly offset: number;
  readonly comment: string;
}

/** A directory is read whole, so its size is bounded: a million entries with long names fit. */
const MAX_DIRECTORY_BYTES = 256 * 1024 * 1024;

/** The end record and the central directory (APPNOTE 4.3.12, 4.3.16). @throws EmballageError ZIP_INVALID, ZIP_TRUNCATED, ZIP_NOT_A_ZIP */
export function readDirectory(source: ByteSource, name: string): Directory {
  const end = findEnd(source, name);
  if (end.size > MAX_DIRECTORY_BYTES)
    throw invalid(
      name,
      `a directory of ${String(end.size)} bytes, more than the ${String(MAX_DIRECTORY_BYTES)} allowed`,
    );
  const bytes = source.read(end.offset, end.size);
  const entries: DirectoryEntry[] = [];
  let at = 0;
  while (at < bytes.length) {
    const header = bytes.length - at >= zip.CENTRAL_HEADER.size ? zip.CENTRAL_HEADER.read(bytes, at) : undefined;
    if (header?.signature !== zip.CENTRAL_SIGNATURE)
      throw invalid(
        name,
        `no directory entry at byte ${String(end.offset + at)}, after ${String(entries.length)} entries`,
      );
    const nameAt = at + zip.CENTRAL_HEADER.size;
    const extraAt = nameAt + header.fileNameLength;
    const next = extraAt + header.extraFieldLength + header.fileCommentLength;
    if (next > bytes.length)
      throw invalid(name, `directory entry ${String(entries.length + 1)} runs past the directory`);
    const extra = bytes.subarray(extraAt, extraAt + header.extraFieldLength);
    // The record is our own and new: filled up rather than copied, twenty thousand times.
    entries.push(Object.assign(header, largeFields(header, extra, name), { rawName: bytes.subarray(nameAt, extraAt) }));
    at = next;
  }
  if (entries.length !== end.entries)
    throw invalid(name, `${String(entries.length)} entries where the end record says ${String(end.entries)}`);
  return { entries, offset: end.offset, comment: end.comment };
}

interface End {
  readonly entries: number;
  readonly size: number;
  readonly offset: number;
  readonly comment: string;
}

/** The end record is found by searching backwards, since a comment of unknown length may follow it. */
function findEnd(source: ByteSource, name: string): End {
  const length = Math.min(source.size, zip.MAX_END_BYTES);
  const tail = source.read(source.size - length, length);
  for (let at = length - zip.END_RECORD.size; at >= 0; at--) {
    if (tail[at] !== 0x50 || tail[at + 1] !== 0x4b) continue;
    const end = zip.END_RECORD.read(tail, at);
    if (end.signature !== zip.END_SIGNATURE || end.commentLength !== length - at - zip.END_RECORD.size) continue;
    return settleEnd(
      source,
      source.size - length + at,
      end,
      Buffer.from(tail.subarray(at + zip.END_RECORD.size)),
      name,
    );
  }
  throw notAZip(source, name);
}

function settleEnd(
  source: ByteSource,
  endOffset: number,
  end: ReturnType<typeof zip.END_RECORD.read>,
  comment: Buffer,
  name: string,
): End {
  let { entries, centralDirectorySize: size, centralDirectoryOffset: offset } = end;
  let directoryEnd = endOffset;
  if (end.diskNumber !== 0 && end.diskNumber !== zip.MAX_16) throw invalid(name, 'one part of an archive in several');
  if (entries === zip.MAX_16 || size === zip.MAX_32 || offset === zip.MAX_32) {
    const large = readZip64End(source, endOffset, name);
    if (large !== undefined) ({ entries, size, offset, directoryEnd } = large);
  }
  if (offset + size > directoryEnd)
    throw new EmballageError('ZIP_TRUNCATED', {
      doing: 'reading the zip',
      where: name,
      expected: `a directory of ${String(size)} bytes at byte ${String(offset)}`,
      found: `an archive that has its end record at byte ${String(directoryEnd)}: part of it is missing`,
      mend: 'fetch or make the archive again',
    });
  if (offset + size < directoryEnd)
    throw invalid(name, `${String(directoryEnd - offset - size)} bytes too many before its directory or after it`);
  return { entries, size, offset, comment: comment.toString('latin1') };
}

function readZip64End(source: ByteSource, endOffset: number, name: string) {
  const locatorOffset = endOffset - zip.ZIP64_LOCATOR.size;
  if (locatorOffset < 0) return undefined;
  const locator = zip.ZIP64_LOCATOR.read(source.read(locatorOffset, zip.ZIP64_LOCATOR.size));
  // Without a locator the full fields mean what they say: an archive of exactly 65,535 entries, for one.
  if (locator.signature !== zip.ZIP64_LOCATOR_SIGNATURE) return undefined;
  const at = locator.endRecordOffset;
  if (at + zip.ZIP64_END_RECORD.size > locatorOffset) throw invalid(name, 'a Zip64 end record beyond its locator');
  const end = zip.ZIP64_END_RECORD.read(source.read(at, zip.ZIP64_END_RECORD.size));
  if (end.signature !== zip.ZIP64_END_SIGNATURE) throw invalid(name, `no Zip64 end record at byte ${String(at)}`);
  return {
    entries: end.entries,
    size: end.centralDirectorySize,
    offset: end.centralDirectoryOffset,
    directoryEnd: at,
  };
}

/** 4.5.3: the 64-bit values of those fields that are full, in this order. */
function largeFields(header: ReturnType<typeof zip.CENTRAL_HEADER.read>, extra: Uint8Array, name: string) {
  const values = zip64Values(extra);
  let used = 0;
  const settle = (value: number): number => {
    if (value !== zip.MAX_32 || values === undefined) return value;
    const large = values[used++];
    if (large === undefined) throw invalid(name, 'a Zip64 field without its value');
    return large;
  };
  return {
    uncompressedSize: settle(header.uncompressedSize),
    compressedSize: settle(header.compressedSize),
    localHeaderOffset: settle(header.relativeOffsetOfLocalHeader),
  };
}

/** The 64-bit numbers of the Zip64 extra field, or undefined where there is none. */
export function zip64Values(extra: Uint8Array): number[] | undefined {
  let at = 0;
  while (at + zip.EXTRA_HEADER.size <= extra.length) {
    const { id, size } = zip.EXTRA_HEADER.read(extra, at);
    const start = at + zip.EXTRA_HEADER.size;
    if (id === zip.ZIP64_EXTRA_ID && start + size <= extra.length) {
      const view = new DataView(extra.buffer, extra.byteOffset + start, size);
      return Array.from({ length: Math.floor(size / 8) }, (_, i) => {
        const value = view.getBigUint64(i * 8, true);
        return value <= BigInt(Number.MAX_SAFE_INTEGER) ? Number(value) : Infinity;
      });
    }
    at = start + size;
  }
  return undefined;
}

/** The error of an archive as a whole. */
export function invalid(name: string, found: string): EmballageError {
  return new EmballageError('ZIP_INVALID', {
    doing: 'reading the zip',
    where: name,
    expected: 'a zip archive in one piece',
    found,
    mend: 'make the archive again',
  });
}

function notAZip(source: ByteSource, name: string): EmballageError {
  const start = source.read(0, Math.min(4, source.size));
  const begun =
    start.length === 4 && new DataView(start.buffer, start.byteOffset).getUint32(0, true) === zip.LOCAL_SIGNATURE;
  return new EmballageError(begun ? 'ZIP_TRUNCATED' : 'ZIP_NOT_A_ZIP', {
    doing: 'reading the zip',
    where: name,
    expected: 'a zip archive',
    found: begun
      ? 'one that begins as a zip but has no end record: it is cut off, or something was appended to it'
      : source.size === 0
        ? 'an empty file'
        : 'a file that is no zip archive',
    mend: begun ? 'fetch or make the archive again' : 'name an artifact, such as out/NAME/ARCH/NAME.zip',
  });
}
