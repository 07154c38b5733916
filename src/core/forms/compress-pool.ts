/** Compresses in worker threads. Pieces travel in batches, since a message costs as much as compressing a kilobyte. */
import { join } from 'node:path';
import { Worker } from 'node:worker_threads';
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

interface Lane {
  readonly worker: Worker;
  readonly sent: Batch[];
}

/** @param threads how many worker threads to use */
export function compressInThreads(threads: number): Compressor {
  return new Pool(threads);
}

class Pool implements Compressor {
  /** Started when the first batch goes out. */
  #lanes: Lane[] = [];
  readonly #threads: number;
  #open: Batch = { pieces: [], waiting: [], bytes: 0 };
  #flushPlanned = false;

  constructor(threads: number) {
    this.#threads = Math.max(1, threads);
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

  async close(): Promise<void> {
    await Promise.all(this.#lanes.map((lane) => lane.worker.terminate()));
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
    if (this.#lanes.length === 0) this.#lanes = Array.from({ length: this.#threads }, () => this.#startLane());
    const lane = this.#lanes.reduce((a, b) => (load(b) < load(a) ? b : a));
    lane.sent.push(batch);
    lane.worker.ref();
    lane.worker.postMessage(
      batch.pieces,
      batch.pieces.map((piece) => piece.bytes.buffer),
    );
  }

  #startLane(): Lane {
    const worker = new Worker(join(__dirname, 'compress-worker.js'));
    const sent: Batch[] = [];
    worker.on('message', (results: readonly CompressedPiece[]) => {
      const batch = sent.shift();
      // Idle threads must not keep the program alive when a build fails elsewhere; busy ones must.
      if (sent.length === 0) worker.unref();
      results.forEach((result, i) => batch?.waiting[i]?.resolve(result));
    });
    worker.on('error', (error) => {
      for (const batch of sent.splice(0)) for (const waiting of batch.waiting) waiting.reject(error);
    });
    worker.unref();
    return { worker, sent };
  }
}

function load(lane: Lane): number {
  return lane.sent.reduce((sum, batch) => sum + batch.bytes, 0);
}
