/** Compresses the pieces of an artifact, in this thread or in several. */
import { deflateSegment } from '../formats/deflate';

export interface Piece {
  readonly bytes: Uint8Array<ArrayBuffer>;
  /** What comes before it in the same file, at most DICTIONARY_BYTES. */
  readonly dictionary: Uint8Array<ArrayBuffer>;
  /** Whether the file ends with it. */
  readonly last: boolean;
  /** Whether it may be given back as it is when deflating does not make it smaller. */
  readonly mayStore: boolean;
}

export interface CompressedPiece {
  readonly data: Uint8Array<ArrayBuffer>;
  readonly stored: boolean;
}

/** Takes pieces over, with their memory, and gives them back compressed; the caller keeps them in order. */
export interface Compressor {
  compress(piece: Piece): Promise<CompressedPiece>;
  close(): Promise<void>;
}

/** Deflates a piece with its checksum, or keeps it where that is no smaller. */
export function compressPiece(piece: Piece): CompressedPiece {
  if (piece.mayStore && piece.bytes.length === 0) return { data: piece.bytes, stored: true };
  const data = deflateSegment(piece.bytes, piece.dictionary, piece.last);
  return piece.mayStore && data.length >= piece.bytes.length
    ? { data: piece.bytes, stored: true }
    : { data, stored: false };
}

/** Below so many bytes of source, starting threads takes longer than they save. */
export const THREADS_PAY_FROM_BYTES = 3 * 1024 * 1024;

/** Compresses in the calling thread. */
export const directCompressor: Compressor = {
  compress: (piece) => Promise.resolve(compressPiece(piece)),
  close: () => Promise.resolve(),
};
