/**
 * Writes zip archives (APPNOTE.TXT) that depend on nothing but what goes in.
 * Fields that could vary are fixed here: made by Unix, version as needed, one time for all entries (UTC), UTF-8 names,
 * no data descriptors, no extra fields but Zip64 where a number does not fit, no comments but our mark at the end.
 * Entries must come in the order of their path's bytes; the writer refuses any other.
 */
import { EmballageError } from '../../base/errors';
import { comparePaths } from '../../base/paths';
import type { RecordType } from '../../base/record';
import { printable } from '../../base/text';
import type { DosTime } from './dos-time';
import * as zip from './layout';

/**
 * Where archive bytes go: appended in order. `patch` overwrites bytes that were appended after the last `hold`; from
 * `release` on nothing before is touched again.
 */
export interface ZipSink {
  append(bytes: Uint8Array): void;
  hold(): void;
  patch(offset: number, bytes: Uint8Array): void;
  release(): void;
}

export interface ZipMember {
  readonly path: string;
  readonly kind: 'file' | 'link' | 'folder';
  /** Permission bits, such as 0o644. */
  readonly mode: number;
}

/** The content of a member whose sizes are all known. */
export interface ZipContent {
  readonly method: typeof zip.METHOD_STORED | typeof zip.METHOD_DEFLATED;
  readonly crc32: number;
  readonly uncompressedSize: number;
  readonly data: Uint8Array;
}

interface OpenMember {
  readonly member: ZipMember;
  readonly name: Buffer;
  readonly offset: number;
  readonly uncompressedSize: number;
  readonly zip64: boolean;
  compressedSize: number;
}

const VERSION_MADE_BY = (zip.HOST_UNIX << 8) | zip.VERSION_ZIP64;

const RECORDS_TOGETHER = 4096;
const NO_EXTRA = new Uint8Array(0);

export class ZipWriter {
  readonly #sink: ZipSink;
  readonly #time: DosTime;
  /** Records of the directory, many put together, since each by itself takes more than it holds; and the last ones. */
  readonly #central: Uint8Array[] = [];
  #records: Uint8Array[] = [];
  #entries = 0;
  #offset = 0;
  #last: string | undefined;
  readonly #first: string | undefined;
  #open: OpenMember | undefined;

  /** @param first name of a member that stands before all others, whatever its name */
  constructor(sink: ZipSink, time: DosTime, first?: string) {
    this.#first = first;
    this.#sink = sink;
    this.#time = time;
  }

  /** Adds a member whose content is at hand. */
  add(member: ZipMember, content: ZipContent): void {
    const zip64 = content.uncompressedSize >= zip.MAX_32 || content.data.length >= zip.MAX_32;
    const open = this.#start(member, content.uncompressedSize, zip64);
    open.compressedSize = content.data.length;
    const header = this.#localHeader(open, content.method, content.crc32);
    this.#append(header);
    this.#append(content.data);
    this.#finish(open, content.method, content.crc32);
  }

  /** Starts a deflated member whose compressed size is not known yet; `append` and `end` follow. */
  begin(member: ZipMember, uncompressedSize: number): void {
    // Deflate grows what it cannot shrink by less than one part in 256.
    const zip64 = uncompressedSize + Math.ceil(uncompressedSize / 256) >= zip.MAX_32;
    this.#open = this.#start(member, uncompressedSize, zip64);
    this.#sink.hold();
    this.#append(this.#localHeader(this.#open, zip.METHOD_DEFLATED, 0));
  }

  /** Appends deflated bytes to the member that was begun. */
  append(data: Uint8Array): void {
    if (this.#open === undefined) throw new Error('no member was begun');
    this.#open.compressedSize += data.length;
    this.#append(data);
  }

  /** Ends the member that was begun: its header is written anew, now with its checksum and sizes. */
  end(crc32: number): void {
    const open = this.#open;
    if (open === undefined) throw new Error('no member was begun');
    this.#open = undefined;
    this.#sink.patch(open.offset, this.#localHeader(open, zip.METHOD_DEFLATED, crc32));
    this.#sink.release();
    this.#finish(open, zip.METHOD_DEFLATED, crc32);
  }

  /** Writes the central directory; gives the size of the whole archive. */
  finish(): number {
    const offset = this.#offset;
    for (const records of [...this.#central, ...this.#records]) this.#append(records);
    const size = this.#offset - offset;
    const entries = this.#entries;
    if (entries >= zip.MAX_16 || offset >= zip.MAX_32 || size >= zip.MAX_32) this.#zip64End(entries, offset, size);
    const comment = Buffer.from(zip.ARTIFACT_MARK);
    this.#append(
      zip.END_RECORD.write({
        signature: zip.END_SIGNATURE,
        diskNumber: 0,
        centralDirectoryDisk: 0,
        entriesOnDisk: Math.min(entries, zip.MAX_16),
        entries: Math.min(entries, zip.MAX_16),
        centralDirectorySize: Math.min(size, zip.MAX_32),
        centralDirectoryOffset: Math.min(offset, zip.MAX_32),
        commentLength: comment.length,
      }),
    );
    this.#append(comment);
    return this.#offset;
  }

  #start(member: ZipMember, uncompressedSize: number, zip64: boolean): OpenMember {
    if (this.#open !== undefined) throw new Error(`${this.#open.member.path} was not ended`);
    const path = archiveName(member);
    const name = nameBytes(path);
    if (path === this.#first && this.#offset === 0)
      return { member, name, offset: 0, uncompressedSize, zip64, compressedSize: 0 };
    if (this.#last !== undefined && comparePaths(this.#last, path) >= 0)
      throw new Error(`members out of order: ${path} after ${this.#last}`);
    this.#last = path;
    return { member, name, offset: this.#offset, uncompressedSize, zip64, compressedSize: 0 };
  }

  #append(bytes: Uint8Array): void {
    this.#sink.append(bytes);
    this.#offset += bytes.length;
  }

  #localHeader(open: OpenMember, method: number, crc32: number): Uint8Array {
    const { name, zip64 } = open;
    const extra = zip64 ? zip64Extra([open.uncompressedSize, open.compressedSize]) : NO_EXTRA;
    return withNameAndExtra(zip.LOCAL_HEADER, name, extra, {
      signature: zip.LOCAL_SIGNATURE,
      versionNeeded: zip64 ? zip.VERSION_ZIP64 : zip.VERSION_DEFLATE,
      flags: zip.FLAG_UTF8,
      method,
      lastModTime: this.#time.time,
      lastModDate: this.#time.date,
      crc32,
      compressedSize: zip64 ? zip.MAX_32 : open.compressedSize,
      uncompressedSize: zip64 ? zip.MAX_32 : open.uncompressedSize,
      fileNameLength: name.length,
      extraFieldLength: extra.length,
    });
  }

  #finish(open: OpenMember, method: number, crc32: number): void {
    const { name, zip64 } = open;
    const far = open.offset >= zip.MAX_32;
    // 4.5.3: the fields stand in this order, and only those whose 32-bit field is full.
    const large = [...(zip64 ? [open.uncompressedSize, open.compressedSize] : []), ...(far ? [open.offset] : [])];
    const extra = large.length > 0 ? zip64Extra(large) : NO_EXTRA;
    const header = withNameAndExtra(zip.CENTRAL_HEADER, name, extra, {
      signature: zip.CENTRAL_SIGNATURE,
      versionMadeBy: VERSION_MADE_BY,
      versionNeeded: zip64 || far ? zip.VERSION_ZIP64 : zip.VERSION_DEFLATE,
      flags: zip.FLAG_UTF8,
      method,
      lastModTime: this.#time.time,
      lastModDate: this.#time.date,
      crc32,
      compressedSize: zip64 ? zip.MAX_32 : open.compressedSize,
      uncompressedSize: zip64 ? zip.MAX_32 : open.uncompressedSize,
      fileNameLength: name.length,
      extraFieldLength: extra.length,
      fileCommentLength: 0,
      diskNumberStart: 0,
      internalFileAttributes: 0,
      externalFileAttributes: externalAttributes(open.member),
      relativeOffsetOfLocalHeader: far ? zip.MAX_32 : open.offset,
    });
    this.#records.push(header);
    this.#entries += 1;
    if (this.#entries % RECORDS_TOGETHER !== 0) return;
    this.#central.push(Buffer.concat(this.#records));
    this.#records = [];
  }

  #zip64End(entries: number, offset: number, size: number): void {
    const endRecordOffset = this.#offset;
    this.#append(
      zip.ZIP64_END_RECORD.write({
        signature: zip.ZIP64_END_SIGNATURE,
        // 4.3.14.1: without the signature and this field itself.
        sizeOfRecord: zip.ZIP64_END_RECORD.size - 12,
        versionMadeBy: VERSION_MADE_BY,
        versionNeeded: zip.VERSION_ZIP64,
        diskNumber: 0,
        centralDirectoryDisk: 0,
        entriesOnDisk: entries,
        entries,
        centralDirectorySize: size,
        centralDirectoryOffset: offset,
      }),
    );
    this.#append(
      zip.ZIP64_LOCATOR.write({
        signature: zip.ZIP64_LOCATOR_SIGNATURE,
        endRecordDisk: 0,
        endRecordOffset,
        disks: 1,
      }),
    );
  }
}

/** The name that a member goes by: that of a folder ends in `/` (APPNOTE 4.3.8). Members are ordered by it. */
export function archiveName(member: Pick<ZipMember, 'path' | 'kind'>): string {
  return member.kind === 'folder' ? `${member.path}/` : member.path;
}

/** A header with what follows it, in one piece of memory. */
function withNameAndExtra<Field extends string>(
  type: RecordType<Field>,
  name: Uint8Array,
  extra: Uint8Array,
  values: Readonly<Record<Field, number>>,
): Buffer {
  const header = Buffer.allocUnsafe(type.size + name.length + extra.length);
  type.writeInto(header, 0, values);
  header.set(name, type.size);
  header.set(extra, type.size + name.length);
  return header;
}

function nameBytes(path: string): Buffer {
  const name = Buffer.from(path);
  if (name.length > zip.MAX_16)
    throw new EmballageError('ZIP_NAME_TOO_LONG', {
      doing: 'writing the zip',
      where: `${printable(path.slice(0, 60))}…`,
      expected: `a path of at most ${String(zip.MAX_16)} bytes, which is all the format can hold`,
      found: `one of ${String(name.length)} bytes`,
      mend: 'shorten the path or leave the file out',
    });
  return name;
}

const FILE_TYPES = { file: zip.S_IFREG, link: zip.S_IFLNK, folder: zip.S_IFDIR };

function externalAttributes(member: ZipMember): number {
  return (FILE_TYPES[member.kind] | member.mode) * 0x10000 + (member.kind === 'folder' ? zip.DOS_DIRECTORY : 0);
}

function zip64Extra(values: readonly number[]): Uint8Array {
  const bytes = Buffer.alloc(zip.EXTRA_HEADER.size + values.length * 8);
  bytes.set(zip.EXTRA_HEADER.write({ id: zip.ZIP64_EXTRA_ID, size: values.length * 8 }));
  values.forEach((value, i) => bytes.writeBigUInt64LE(BigInt(value), zip.EXTRA_HEADER.size + i * 8));
  return bytes;
}
