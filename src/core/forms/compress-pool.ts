/** Compresses in worker threads. Pieces travel in batches, since a message costs as much as compressing a kilobyte. */
import { join } from 'node:path';
import { Threads } from '../disk/threads';
import type { CompressedPiece, Compressor, Piece } from './compress';

const BATCH_BYTES = 256 * 1024;

interface Waiting {
  resolve(result: CompressedPiece): void;
  reject(error: unknown): void;
}

interface Batch {
  readonly pieces: Piece[];
  readonly waiting: Waiting[];
  bytes: number;
}

/** @param threads how many worker threads to use */
export function compressInThreads(threads: number): Compressor {
  return new Pool(threads);
}

class Pool implements Compressor {
  readonly #threads: Threads<readonly Piece[], readonly CompressedPiece[]>;
  #open: Batch = { pieces: [], waiting: [], bytes: 0 };
  #flushPlanned = false;

  constructor(threads: number) {
    this.#threads = new Threads(join(__dirname, 'compress-worker.js'), threads);
  }

  compress(piece: Piece): Promise<CompressedPiece> {
    return new Promise((resolve, reject) => {
      this.#open.pieces.push(piece);
      this.#open.waiting.push({ resolve, reject });
      this.#open.bytes += piece.bytes.length;
      if (this.#open.bytes >= BATCH_BYTES) this.#flush();
      else this.#planFlush();
    });
  }

  close(): Promise<void> {
    return this.#threads.close();
  }

  /** The last batch goes out when the caller waits, however small it is. */
  #planFlush(): void {
    if (this.#flushPlanned) return;
    this.#flushPlanned = true;
    setImmediate(() => {
      this.#flushPlanned = false;
      this.#flush();
    });
  }

  #flush(): void {
    const batch = this.#open;
    if (batch.pieces.length === 0) return;
    this.#open = { pieces: [], waiting: [], bytes: 0 };
    const transfer = batch.pieces.map((piece) => piece.bytes.buffer);
    this.#threads.ask(batch.pieces, transfer).then(
      (results) => results.forEach((result, i) => batch.waiting[i]?.resolve(result)),
      (error: unknown) => batch.waiting.forEach((waiting) => waiting.reject(error)),
    );
  }
}
