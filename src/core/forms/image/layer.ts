/**
 * A layer of an image: files become a tar archive, compressed with gzip by the pinned encoder. Files are read once; the
 * archive is cut into segments that are compressed in several threads and written in order.
 */
import { createHash } from 'node:crypto';
import { crc32 } from 'node:zlib';
import { DICTIONARY_BYTES, SEGMENT_BYTES } from '../../formats/deflate';
import { GZIP_HEADER, gzipTrailer } from '../../formats/gzip';
import { TAR_END, tarHeader, tarPadding } from '../../formats/tar';
import type { CompressedPiece, Compressor } from '../packing';

interface Common {
  readonly path: string;
  /** Permission bits. */
  readonly mode: number;
  /** 0 where there is none. */
  readonly uid?: number;
  readonly gid?: number;
}

export type LayerEntry =
  | (Common & {
      readonly kind: 'file';
      readonly size: number;
      /** SHA-256 in hexadecimal, where it is known without reading. */
      readonly sha256?: string;
      /** The content in pieces, which may share memory. */
      readonly content: () => Iterable<Uint8Array>;
    })
  | (Common & { readonly kind: 'link' | 'hard-link'; readonly target: string })
  | (Common & { readonly kind: 'folder' });

export interface LayerRequest {
  readonly entries: readonly LayerEntry[];
  readonly compressor: Compressor;
  readonly sink: { append(bytes: Uint8Array): void };
  /** Seconds since 1970 that all entries carry. */
  readonly mtimeSeconds: number;
  /** Told how many bytes of the archive have been packed so far. */
  readonly onProgress?: (bytes: number) => void;
}

export interface PackedLayer {
  /** SHA-256 of the plain archive, in hexadecimal. */
  readonly diffId: string;
  /** Bytes of the plain archive. */
  readonly unpacked: number;
  /** SHA-256 of each file's content (of a link's target), by path. */
  readonly digests: ReadonlyMap<string, string>;
}

/** Bytes that may be under way at once, between reading and writing. */
const MAX_SEGMENTS_UNDER_WAY = 6;

/** Packs a layer: the plain archive, compressed on the way, with both digests. */
export async function packLayer(request: LayerRequest): Promise<PackedLayer> {
  const { sink, compressor, onProgress } = request;
  const digests = new Map<string, string>();
  const whole = createHash('sha256');
  const underWay: Promise<CompressedPiece>[] = [];
  let sum = 0;
  let unpacked = 0;
  let dictionary = new Uint8Array(0);
  sink.append(GZIP_HEADER);
  const writeOldest = async (): Promise<void> => {
    const oldest = underWay.shift();
    if (oldest !== undefined) sink.append((await oldest).data);
  };
  for (const { bytes, last } of segments(archive(request, digests))) {
    whole.update(bytes);
    sum = crc32(bytes, sum);
    unpacked += bytes.length;
    // Copied before the segment is handed over with its memory.
    const next = last ? new Uint8Array(0) : new Uint8Array(bytes.subarray(-DICTIONARY_BYTES));
    const result = compressor.compress({ bytes, dictionary, last, mayStore: false });
    // Rejections are met when the segment is written; until then they must not count as unhandled.
    result.catch(() => undefined);
    underWay.push(result);
    dictionary = next;
    while (underWay.length > MAX_SEGMENTS_UNDER_WAY) await writeOldest();
    onProgress?.(unpacked);
  }
  while (underWay.length > 0) await writeOldest();
  sink.append(gzipTrailer(sum, unpacked));
  return { diffId: whole.digest('hex'), unpacked, digests };
}

function* archive({ entries, mtimeSeconds }: LayerRequest, digests: Map<string, string>): Generator<Uint8Array> {
  for (const entry of entries) {
    const { path, mode, kind, uid = 0, gid = 0 } = entry;
    const head = { path, mode, kind, uid, gid, mtimeSeconds };
    if (entry.kind === 'folder') yield tarHeader({ ...head, size: 0 });
    else if (entry.kind !== 'file') {
      digests.set(path, createHash('sha256').update(entry.target).digest('hex'));
      yield tarHeader({ ...head, size: 0, target: entry.target });
    } else {
      yield tarHeader({ ...head, size: entry.size });
      const hash = entry.sha256 === undefined ? createHash('sha256') : undefined;
      for (const piece of entry.content()) {
        hash?.update(piece);
        yield piece;
      }
      digests.set(path, entry.sha256 ?? hash?.digest('hex') ?? '');
      yield tarPadding(entry.size);
    }
  }
  yield TAR_END;
}

interface Segment {
  readonly bytes: Uint8Array<ArrayBuffer>;
  readonly last: boolean;
}

/** Pieces of any size as segments of SEGMENT_BYTES, each with memory of its own, since it is handed to another thread. */
function* segments(pieces: Iterable<Uint8Array>): Generator<Segment> {
  let segment = newSegment();
  let held = 0;
  for (const piece of pieces)
    for (let at = 0; at < piece.length;) {
      // A full segment goes out when something follows it, so that the last one is known.
      if (held === SEGMENT_BYTES) {
        yield { bytes: segment, last: false };
        segment = newSegment();
        held = 0;
      }
      const part = piece.subarray(at, at + SEGMENT_BYTES - held);
      segment.set(part, held);
      held += part.length;
      at += part.length;
    }
  yield { bytes: held === SEGMENT_BYTES ? segment : segment.slice(0, held), last: true };
}

function newSegment(): Uint8Array<ArrayBuffer> {
  return Buffer.allocUnsafeSlow(SEGMENT_BYTES);
}
