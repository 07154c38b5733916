/**
 * Reads zip archives that nobody vouches for. `openZip` lists the entries and everything that is wrong with them
 * without unpacking any but links; `readEntry` and `entryChunks` unpack one and hold it to its size and checksum.
 *
 * How ambiguities are decided: the central directory is what counts, and a local header that says otherwise is a fault;
 * a name without the UTF-8 flag is taken as UTF-8 where it is valid, else it is a fault; modes are those of Unix hosts.
 */
import { crc32, createInflateRaw, inflateRawSync } from 'node:zlib';
import { systemCode } from '../../base/errors';
import { expectThings } from '../../base/heap';
import { leadsOut, linkStaysInside, unsafePathReason } from '../../base/paths';
import type { ByteSource } from '../byte-source';
import { DirectoryEntry, invalid, readDirectory, zip64Values } from './directory';
import type { DosTime } from './dos-time';
import { kindOf, nameOf, unixModeOf, type Report } from './entry-head';
import { ZipFault, ZipFaultCode, ZipFaultError } from './faults';
import * as zip from './layout';

export interface ZipEntry {
  /** As in the archive, without the `/` at a folder's end. */
  readonly path: string;
  readonly kind: 'file' | 'link' | 'folder';
  /** Permission bits; undefined where the archive was made on a system without them. */
  readonly mode: number | undefined;
  readonly time: DosTime;
  readonly method: number;
  readonly crc32: number;
  readonly compressedSize: number;
  readonly size: number;
  readonly dataOffset: number;
  /** What a link points to. */
  readonly target?: string;
}

export interface ZipArchive {
  readonly entries: readonly ZipEntry[];
  readonly faults: readonly ZipFault[];
  /** Whether we made it. */
  readonly ours: boolean;
}

export interface ZipLimits {
  readonly entries: number;
  /** Bytes of all entries together, unpacked. */
  readonly unpackedBytes: number;
}

export const DEFAULT_ZIP_LIMITS: ZipLimits = { entries: 1_000_000, unpackedBytes: 64 * 1024 ** 3 };

/** Deflate cannot shrink more than 1032 to 1 (RFC 1951: 258 bytes in two bits); who says so lies. */
const MAX_RATIO = 1033;
const MAX_LINK_BYTES = 4096;
/** Entries up to this size are inflated in one go. */
const SMALL_ENTRY_BYTES = 4 * 1024 * 1024;
const CHUNK_BYTES = 256 * 1024;

/** Lists an archive. Throws where there is no telling what it holds; else what is wrong stands in `faults`. */
export function openZip(source: ByteSource, name: string, limits: ZipLimits = DEFAULT_ZIP_LIMITS): ZipArchive {
  const directory = readDirectory(source, name);
  if (directory.entries.length > limits.entries)
    throw invalid(name, `${String(directory.entries.length)} entries, more than the ${String(limits.entries)} allowed`);
  expectThings(directory.entries.length);
  const faults: ZipFault[] = [];
  const entries: ZipEntry[] = [];
  const spans: Span[] = [];
  for (const raw of directory.entries) {
    const report: Report = (code, detail) => faults.push({ code, entry: nameOf(raw).replace(/\/$/, ''), detail });
    const dataOffset = checkLocalHeader(source, raw, directory.offset, report);
    spans.push({ start: raw.localHeaderOffset, end: dataOffset + raw.compressedSize, report });
    entries.push(describeEntry(source, raw, dataOffset, report));
  }
  findOverlaps(spans, directory.offset);
  findClashes(entries, faults);
  findLinksOut(entries, faults);
  findBombs(entries, limits, faults);
  return { entries, faults, ours: directory.comment === zip.ARTIFACT_MARK };
}

/**
 * The first entry whose name `wants`, without looking at any other; undefined where there is none. For archives of
 * which only a part is at hand.
 */
export function findEntry(source: ByteSource, name: string, wants: (path: string) => boolean): ZipEntry | undefined {
  const directory = readDirectory(source, name);
  const raw = directory.entries.find((entry) => wants(nameOf(entry)));
  if (raw === undefined) return undefined;
  const report: Report = (code, detail) => {
    throw new ZipFaultError({ code, entry: nameOf(raw), detail }, 'reading the zip');
  };
  return describeEntry(source, raw, checkLocalHeader(source, raw, directory.offset, report), report);
}

/** The content of one entry, held to its size and checksum; throws a refusal otherwise. */
export function readEntry(source: ByteSource, entry: ZipEntry, maxBytes: number): Uint8Array {
  if (entry.size > maxBytes)
    throw refusal(entry, 'bomb', `${String(entry.size)} bytes, more than the ${String(maxBytes)} wanted`);
  if (entry.dataOffset + entry.compressedSize > source.size)
    throw refusal(entry, 'data', 'it runs past the end of the archive');
  const data = source.read(entry.dataOffset, entry.compressedSize);
  const content = entry.method === zip.METHOD_STORED ? data : inflateWhole(entry, data);
  checkContent(entry, content.length, crc32(content));
  return content;
}

/** The content of one entry in pieces, for entries of any size; throws at the end where size or checksum are wrong. */
export async function* entryChunks(source: ByteSource, entry: ZipEntry): AsyncGenerator<Uint8Array> {
  if (entry.size <= SMALL_ENTRY_BYTES && entry.compressedSize <= SMALL_ENTRY_BYTES) {
    yield readEntry(source, entry, SMALL_ENTRY_BYTES);
    return;
  }
  let size = 0;
  let sum = 0;
  for await (const chunk of entry.method === zip.METHOD_STORED
    ? rawChunks(source, entry)
    : inflateChunks(source, entry)) {
    size += chunk.length;
    if (size > entry.size) throw refusal(entry, 'bomb', `more than the ${String(entry.size)} bytes it declares`);
    sum = crc32(chunk, sum);
    yield chunk;
  }
  checkContent(entry, size, sum);
}

interface Span {
  readonly start: number;
  readonly end: number;
  readonly report: Report;
}

function describeEntry(source: ByteSource, raw: DirectoryEntry, dataOffset: number, report: Report): ZipEntry {
  const name = nameOf(raw);
  if (!Buffer.from(name).equals(raw.rawName)) report('bad-name', 'its bytes are not UTF-8');
  const unsafe = unsafePathReason(name);
  if (unsafe !== undefined) report('unsafe-path', unsafe);
  if ((raw.flags & (zip.FLAG_ENCRYPTED | zip.FLAG_STRONG_ENCRYPTION)) !== 0) report('encrypted', 'its flags say so');
  else if (raw.method !== zip.METHOD_STORED && raw.method !== zip.METHOD_DEFLATED)
    report('method', `method ${String(raw.method)}`);
  const unixMode = unixModeOf(raw);
  const entry: ZipEntry = {
    path: name.endsWith('/') ? name.slice(0, -1) : name,
    kind: kindOf(name, unixMode, report),
    // A Unix host that gives no file type and no bits at all kept no modes.
    mode: unixMode === 0 ? undefined : unixMode & 0o7777,
    time: { date: raw.lastModDate, time: raw.lastModTime },
    method: raw.method,
    crc32: raw.crc32,
    compressedSize: raw.compressedSize,
    size: raw.uncompressedSize,
    dataOffset,
  };
  return entry.kind === 'link' ? withTarget(source, entry, report) : entry;
}

function withTarget(source: ByteSource, entry: ZipEntry, report: Report): ZipEntry {
  try {
    const target = nameFrom(readEntry(source, entry, MAX_LINK_BYTES));
    if (!linkStaysInside(entry.path, target)) report('link-out', `it points to ${target}`);
    return { ...entry, target };
  } catch {
    report('data', 'its target cannot be read');
    return entry;
  }
}

function nameFrom(bytes: Uint8Array): string {
  return Buffer.from(bytes).toString('utf8');
}

/** Gives where the data begins. */
function checkLocalHeader(source: ByteSource, raw: DirectoryEntry, limit: number, report: Report): number {
  const start = raw.localHeaderOffset;
  const dataAt = start + zip.LOCAL_HEADER.size + raw.rawName.length;
  if (dataAt > limit) {
    report('header-mismatch', `the directory puts its header at byte ${String(start)}, outside the entries`);
    return start;
  }
  const bytes = source.read(start, zip.LOCAL_HEADER.size + raw.rawName.length);
  const local = zip.LOCAL_HEADER.read(bytes);
  if (local.signature !== zip.LOCAL_SIGNATURE) {
    report('header-mismatch', `there is no local header at byte ${String(start)}`);
    return dataAt;
  }
  const dataOffset = start + zip.LOCAL_HEADER.size + local.fileNameLength + local.extraFieldLength;
  if (dataOffset + raw.compressedSize > limit) report('data', 'it runs past the end of the entries');
  const name = bytes.subarray(zip.LOCAL_HEADER.size);
  if (local.fileNameLength !== raw.rawName.length || Buffer.compare(name, raw.rawName) !== 0)
    report('header-mismatch', 'the names differ');
  const extra =
    dataOffset <= limit ? source.read(dataOffset - local.extraFieldLength, local.extraFieldLength) : undefined;
  const difference = firstDifference(local, raw, extra ?? new Uint8Array(0));
  if (difference !== undefined) report('header-mismatch', difference);
  return dataOffset;
}

function firstDifference(
  local: ReturnType<typeof zip.LOCAL_HEADER.read>,
  raw: DirectoryEntry,
  extra: Uint8Array,
): string | undefined {
  const compare = (what: string, here: number, there: number): string | undefined =>
    here === there ? undefined : `${what} ${String(here)} and ${String(there)}`;
  const kept = zip.FLAG_ENCRYPTED | zip.FLAG_DATA_DESCRIPTOR | zip.FLAG_UTF8;
  const header = compare('methods', local.method, raw.method) ?? compare('flags', local.flags & kept, raw.flags & kept);
  // 4.4.4: with bit 3 set the three fields are zero here and follow the data.
  if (header !== undefined || (raw.flags & zip.FLAG_DATA_DESCRIPTOR) !== 0) return header;
  const large =
    local.compressedSize === zip.MAX_32 || local.uncompressedSize === zip.MAX_32 ? zip64Values(extra) : undefined;
  return (
    compare('checksums', local.crc32, raw.crc32) ??
    compare('packed sizes', large?.[1] ?? local.compressedSize, raw.compressedSize) ??
    compare('sizes', large?.[0] ?? local.uncompressedSize, raw.uncompressedSize)
  );
}

function findOverlaps(spans: readonly Span[], limit: number): void {
  const sorted = [...spans].sort((a, b) => a.start - b.start);
  let end = 0;
  for (const span of sorted) {
    if (span.start < end) span.report('overlap', `it begins at byte ${String(span.start)}, before byte ${String(end)}`);
    end = Math.max(end, Math.min(span.end, limit));
  }
}

/** Names that stand twice, and entries below something that is no folder. */
function findClashes(entries: readonly ZipEntry[], faults: ZipFault[]): void {
  const kinds = new Map<string, ZipEntry['kind']>();
  for (const { path, kind } of entries) {
    if (kinds.has(path)) faults.push({ code: 'duplicate-name', entry: path, detail: 'two entries have this name' });
    kinds.set(path, kind);
  }
  for (const { path } of entries) {
    for (let slash = path.indexOf('/'); slash > 0; slash = path.indexOf('/', slash + 1)) {
      const above = kinds.get(path.slice(0, slash));
      if (above === undefined || above === 'folder') continue;
      faults.push({ code: 'through-link', entry: path, detail: `${path.slice(0, slash)} is a ${above}` });
      break;
    }
  }
}

/** Links that leave the archive through other links, which each of them alone does not. */
function findLinksOut(entries: readonly ZipEntry[], faults: ZipFault[]): void {
  const targets = new Map(entries.flatMap(({ path, target }) => (target === undefined ? [] : [[path, target]])));
  const known = new Set(faults.flatMap(({ code, entry }) => (code === 'link-out' ? [entry] : [])));
  for (const [path, target] of targets)
    if (!known.has(path) && leadsOut(path, (one) => targets.get(one)))
      faults.push({ code: 'link-out', entry: path, detail: `it points to ${target}, through another link` });
}

function findBombs(entries: readonly ZipEntry[], limits: ZipLimits, faults: ZipFault[]): void {
  let total = 0;
  for (const entry of entries) {
    const before = total;
    total += entry.size;
    const most = entry.method === zip.METHOD_STORED ? entry.compressedSize : entry.compressedSize * MAX_RATIO;
    if (entry.size > most)
      faults.push({
        code: 'bomb',
        entry: entry.path,
        detail: `${String(entry.size)} bytes from ${String(entry.compressedSize)}`,
      });
    else if (total > limits.unpackedBytes && before <= limits.unpackedBytes)
      faults.push({
        code: 'bomb',
        entry: entry.path,
        detail: `with it the archive passes ${String(limits.unpackedBytes)} bytes`,
      });
  }
}

function inflateWhole(entry: ZipEntry, data: Uint8Array): Uint8Array {
  try {
    return inflateRawSync(data, { maxOutputLength: Math.max(1, entry.size) });
  } catch (error) {
    const long = systemCode(error) === 'ERR_BUFFER_TOO_LARGE';
    throw refusal(
      entry,
      long ? 'bomb' : 'data',
      long ? `more than the ${String(entry.size)} bytes it declares` : 'it is no deflate stream',
    );
  }
}

async function* inflateChunks(source: ByteSource, entry: ZipEntry): AsyncGenerator<Uint8Array> {
  const inflate = createInflateRaw({ chunkSize: CHUNK_BYTES });
  const feed = (async () => {
    for (const chunk of rawChunks(source, entry)) {
      if (!inflate.write(chunk)) await new Promise((resolve) => inflate.once('drain', resolve));
      if (inflate.destroyed) return;
    }
    inflate.end();
  })();
  try {
    for await (const chunk of inflate) yield chunk as Uint8Array;
    await feed;
  } catch {
    throw refusal(entry, 'data', 'it is no deflate stream');
  } finally {
    inflate.destroy();
  }
}

function* rawChunks(source: ByteSource, entry: ZipEntry): Generator<Uint8Array> {
  const end = entry.dataOffset + entry.compressedSize;
  if (end > source.size) throw refusal(entry, 'data', 'it runs past the end of the archive');
  for (let at = entry.dataOffset; at < end; at += CHUNK_BYTES) yield source.read(at, Math.min(CHUNK_BYTES, end - at));
}

function checkContent(entry: ZipEntry, size: number, sum: number): void {
  if (size !== entry.size)
    throw refusal(entry, 'data', `${String(size)} bytes where ${String(entry.size)} are declared`);
  if (sum !== entry.crc32) throw refusal(entry, 'checksum', `${hex(sum)} where ${hex(entry.crc32)} is declared`);
}

function hex(value: number): string {
  return value.toString(16).padStart(8, '0');
}

function refusal(entry: ZipEntry, code: ZipFaultCode, detail: string): Error {
  return new ZipFaultError({ code, entry: entry.path, detail }, 'unpacking the zip');
}
