/**
 * Compresses in worker threads. Pieces travel in batches, since a message costs as much as compressing a kilobyte, and in
 * memory that both sides see and that is used again, since new memory costs as much as copying into it.
 */
import { join } from 'node:path';
import { Threads } from '../../disk/threads/threads';
import { DICTIONARY_BYTES, SEGMENT_BYTES } from '../../formats/deflate';
import {
  directCompressor,
  THREADS_PAY_FROM_BYTES,
  type CompressedPiece,
  type Compressor,
  type Piece,
} from './compress';
import { Slab } from './compress-slab';

/** A batch is full when it holds so much. */
const BATCH_BYTES = 256 * 1024;
/** While this thread reads, hashes and writes what a batch holds, the others are to have something to do. */
const AHEAD = 2;

export interface Batch {
  readonly memory: SharedArrayBuffer;
  readonly pieces: number;
}

interface Waiting {
  resolve(result: CompressedPiece): void;
  reject(error: unknown): void;
}

interface OpenBatch {
  readonly slab: Slab;
  readonly waiting: Waiting[];
  bytes: number;
}

/**
 * @param threads how many worker threads to use
 * @param isMuch whether it is known that there is much to do: threads then start now, while there is something else to do
 * here; otherwise when so much has come that they pay
 */
export function compressInThreads(threads: number, isMuch: boolean): Compressor {
  return new Pool(threads, isMuch);
}

/** Compresses in this thread where no other may work. @param isMuch as above */
export function compressorFor(jobs: number, isMuch: boolean): Compressor {
  return jobs > 1 ? compressInThreads(jobs, isMuch) : directCompressor;
}

class Pool implements Compressor {
  readonly #threads: Threads<Batch, undefined>;
  readonly #free: { readonly small: Slab[]; readonly large: Slab[] } = { small: [], large: [] };
  #open: OpenBatch | undefined;
  #flushPlanned = false;
  /** Bytes that were compressed here, as long as threads do not pay. */
  #doneHere = 0;

  constructor(threads: number, isMuch: boolean) {
    this.#threads = new Threads(join(__dirname, 'compress-worker.js'), threads, { ahead: AHEAD });
    if (isMuch) this.#threads.start();
  }

  compress(piece: Piece): Promise<CompressedPiece> {
    const needed = piece.bytes.length + piece.dictionary.length;
    if (!this.#threads.areRunning && this.#doneHere + needed <= THREADS_PAY_FROM_BYTES) {
      this.#doneHere += needed;
      return directCompressor.compress(piece);
    }
    if (this.#open?.slab.hasRoomFor(piece, this.#open.waiting.length, this.#open.bytes) === false) this.#flush();
    const open = (this.#open ??= { slab: this.#slabFor(needed), waiting: [], bytes: 0 });
    open.slab.put(piece, open.waiting.length, open.bytes);
    open.bytes += needed;
    const result = new Promise<CompressedPiece>((resolve, reject) => open.waiting.push({ resolve, reject }));
    if (open.bytes >= BATCH_BYTES) this.#flush();
    else this.#planFlush();
    return result;
  }

  close(): Promise<void> {
    return this.#threads.close();
  }

  #slabFor(bytes: number): Slab {
    const isSmall = bytes <= BATCH_BYTES;
    const free = isSmall ? this.#free.small : this.#free.large;
    const room = isSmall ? BATCH_BYTES : SEGMENT_BYTES + DICTIONARY_BYTES;
    return free.pop() ?? Slab.of(room);
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
    if (this.#open === undefined) return;
    const { slab, waiting } = this.#open;
    this.#open = undefined;
    this.#threads.ask({ memory: slab.memory, pieces: waiting.length }).then(
      () => {
        slab.results(waiting.length).forEach((result, i) => waiting[i]?.resolve(result));
        (slab.room === BATCH_BYTES ? this.#free.small : this.#free.large).push(slab);
      },
      (error: unknown) => waiting.forEach((one) => one.reject(error)),
    );
  }
}
