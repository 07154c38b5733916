/** Compresses the pieces of an artifact, in this thread or in several. */
import { deflateForNow } from '../../formats/deflate';

export interface Piece {
  readonly bytes: Uint8Array;
  /** What comes before it in the same file, at most DICTIONARY_BYTES. */
  readonly dictionary: Uint8Array;
  /** Whether the file ends with it. */
  readonly last: boolean;
  /** Whether it may be given back as it is when deflating does not make it smaller. */
  readonly mayStore: boolean;
}

export interface CompressedPiece {
  readonly data: Uint8Array;
  readonly stored: boolean;
}

/**
 * Gives pieces back compressed; the caller keeps them in order. It has read a piece when `compress` returns, and what it
 * gives has memory of its own.
 */
export interface Compressor {
  compress(piece: Piece): Promise<CompressedPiece>;
  close(): Promise<void>;
}

/** Deflates a piece into memory that the next one takes, or keeps it as it is, in its own, where that is no smaller. */
export function compressPiece(piece: Piece): CompressedPiece {
  if (piece.mayStore && piece.bytes.length === 0) return { data: piece.bytes, stored: true };
  const data = deflateForNow(piece.bytes, piece.dictionary, piece.last);
  return piece.mayStore && data.length >= piece.bytes.length
    ? { data: piece.bytes, stored: true }
    : { data, stored: false };
}

/** Below so many bytes of source, starting threads takes longer than they save. */
export const THREADS_PAY_FROM_BYTES = 3 * 1024 * 1024;

/** Compresses in the calling thread. */
export const directCompressor: Compressor = {
  compress: (piece) => {
    const { data, stored } = compressPiece(piece);
    return Promise.resolve({ data: new Uint8Array(data), stored });
  },
  close: () => Promise.resolve(),
};
