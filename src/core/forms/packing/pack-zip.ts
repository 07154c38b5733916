/** The zip form: a file set becomes an archive. Files are read once; what was read is hashed, compressed and written. */
import { createHash, type Hash } from 'node:crypto';
import { crc32 } from 'node:zlib';
import { yieldNow } from '../../base/yield';
import { DICTIONARY_BYTES, SEGMENT_BYTES } from '../../formats/deflate';
import { METHOD_DEFLATED, METHOD_STORED, ZipWriter, type DosTime, type ZipSink } from '../../formats/zip';
import type { FileSet, PackedContent, PackedEntry, PackedFile } from '../../fileset/model';
import type { CompressedPiece, Compressor } from './compress';

export interface PackRequest {
  readonly fileSet: FileSet;
  /** The content of a file in pieces of SEGMENT_BYTES, which may lie in the same memory one after the other. */
  readonly pieces: (file: PackedFile) => Iterable<Uint8Array>;
  readonly compressor: Compressor;
  readonly sink: ZipSink;
  readonly time: DosTime;
  /** Name of the member that stands before all others. */
  readonly first?: string;
  /** A stretch of a file whose content is compressed already. */
  readonly stretch: (file: PackedFile, content: PackedContent) => Uint8Array;
  /** Told how many bytes of source have been packed so far. */
  readonly onProgress?: (bytes: number) => void;
}

export interface Packed {
  /** Bytes of the archive. */
  readonly size: number;
  /** Bytes of all files, unpacked. */
  readonly unpacked: number;
  /** SHA-256 of each file's content (of a link's target), in hexadecimal, by path; nothing for folders. */
  readonly digests: ReadonlyMap<string, string>;
}

/** Bytes of source that may be under way at once, between reading and writing. */
const MAX_BYTES_UNDER_WAY = 12 * SEGMENT_BYTES;
/** And so many pieces, where files are small. */
const MAX_STEPS_UNDER_WAY = 2048;

interface Step {
  readonly entry: PackedEntry;
  readonly bytes: number;
  readonly first: boolean;
  readonly last: boolean;
  /** Checksum of the whole file; set on its last piece. */
  readonly crc32: number;
  readonly result: Promise<CompressedPiece>;
}

/** Packs entries into a zip archive, in their order. */
export async function packZip(request: PackRequest): Promise<Packed> {
  const writer = new ZipWriter(request.sink, request.time, request.first);
  const digests = new Map<string, string>();
  const underWay: Step[] = [];
  let bytesUnderWay = 0;
  let unpacked = 0;
  let written = 0;
  const writeOldest = async (): Promise<void> => {
    const step = underWay.shift();
    if (step === undefined) return;
    writeStep(writer, step, await step.result);
    bytesUnderWay -= step.bytes;
    unpacked += step.bytes;
    request.onProgress?.(unpacked);
    written += 1;
    // What is compressed already is waited for by nobody.
    if (written % 64 === 0) await yieldNow();
  };
  for (const step of steps(request, digests)) {
    // Rejections are met when the step is written; until then they must not count as unhandled.
    step.result.catch(() => undefined);
    underWay.push(step);
    bytesUnderWay += step.bytes;
    while (bytesUnderWay > MAX_BYTES_UNDER_WAY || underWay.length > MAX_STEPS_UNDER_WAY) await writeOldest();
  }
  while (underWay.length > 0) await writeOldest();
  return { size: writer.finish(), unpacked, digests };
}

function* steps(request: PackRequest, digests: Map<string, string>): Generator<Step> {
  for (const entry of request.fileSet.entries) {
    if (entry.kind === 'file' && entry.packed !== undefined && entry.sha256 !== undefined) {
      yield packedStep(entry, entry.packed, request);
      digests.set(entry.path, entry.sha256);
      continue;
    }
    const hash = createHash('sha256');
    if (entry.kind === 'file') yield* fileSteps(entry, request, hash);
    else if (entry.kind === 'link') yield linkStep(entry, entry.target, hash);
    else yield { entry, bytes: 0, first: true, last: true, crc32: 0, result: stored(new Uint8Array(0)) };
    if (entry.kind !== 'folder') digests.set(entry.path, hash.digest('hex'));
  }
}

function* fileSteps(entry: PackedFile, request: PackRequest, hash: Hash): Generator<Step> {
  let dictionary = new Uint8Array(0);
  let sum = 0;
  let left = entry.size;
  const whole = entry.size <= SEGMENT_BYTES;
  for (const bytes of request.pieces(entry)) {
    hash.update(bytes);
    sum = crc32(bytes, sum);
    const first = left === entry.size;
    const length = bytes.length;
    left -= length;
    // Copied before the next piece takes its place.
    const next = left > 0 ? new Uint8Array(bytes.subarray(-DICTIONARY_BYTES)) : new Uint8Array(0);
    const result = request.compressor.compress({ bytes, dictionary, last: left === 0, mayStore: whole });
    yield { entry, bytes: length, first, last: left === 0, crc32: sum, result };
    dictionary = next;
  }
}

function packedStep(entry: PackedFile, content: PackedContent, request: PackRequest): Step {
  const result = Promise.resolve({
    data: request.stretch(entry, content),
    stored: content.method === METHOD_STORED,
  });
  return { entry, bytes: entry.size, first: true, last: true, crc32: content.crc32, result };
}

function linkStep(entry: PackedEntry, target: string, hash: Hash): Step {
  const bytes = new Uint8Array(Buffer.from(target));
  hash.update(bytes);
  return { entry, bytes: bytes.length, first: true, last: true, crc32: crc32(bytes), result: stored(bytes) };
}

function stored(data: Uint8Array): Promise<CompressedPiece> {
  return Promise.resolve({ data, stored: true });
}

function writeStep(writer: ZipWriter, step: Step, piece: CompressedPiece): void {
  if (step.first && step.last) {
    const method = piece.stored ? METHOD_STORED : METHOD_DEFLATED;
    writer.add(step.entry, { method, crc32: step.crc32, uncompressedSize: step.bytes, data: piece.data });
    return;
  }
  if (step.first && step.entry.kind === 'file') writer.begin(step.entry, step.entry.size);
  writer.append(piece.data);
  if (step.last) writer.end(step.crc32);
}
