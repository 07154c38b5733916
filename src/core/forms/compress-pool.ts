/**
 * Compresses in worker threads. Pieces travel in batches, since a message costs as much as compressing a kilobyte, and in
 * memory that both sides see and that is used again, since new memory costs as much as copying into it.
 */
import { join } from 'node:path';
import { Threads } from '../disk/threads';
import { DICTIONARY_BYTES, MOST_GROWTH, SEGMENT_BYTES } from '../formats/deflate';
import type { CompressedPiece, Compressor, Piece } from './compress';

/** A batch is full when it holds so much. */
const BATCH_BYTES = 256 * 1024;

/** Memory for a batch: what is to be compressed, and what comes of it. */
interface Slab {
  readonly input: Uint8Array<SharedArrayBuffer>;
  readonly output: Uint8Array<SharedArrayBuffer>;
}

/** A piece in the memory of its batch: its dictionary, then itself. */
export interface PlacedPiece {
  readonly at: number;
  readonly dictionaryLength: number;
  readonly length: number;
  readonly last: boolean;
  readonly mayStore: boolean;
}

export interface Batch {
  readonly input: SharedArrayBuffer;
  readonly output: SharedArrayBuffer;
  readonly pieces: readonly PlacedPiece[];
}

/** Where in the output each piece ends; undefined where it is no smaller than it was, and stays so. */
export type BatchAnswer = readonly (number | undefined)[];

interface Waiting {
  resolve(result: CompressedPiece): void;
  reject(error: unknown): void;
}

interface OpenBatch {
  readonly slab: Slab;
  readonly pieces: PlacedPiece[];
  readonly waiting: Waiting[];
  bytes: number;
}

/** @param threads how many worker threads to use */
export function compressInThreads(threads: number): Compressor {
  return new Pool(threads);
}

class Pool implements Compressor {
  readonly #threads: Threads<Batch, BatchAnswer>;
  readonly #free: { readonly small: Slab[]; readonly large: Slab[] } = { small: [], large: [] };
  #open: OpenBatch | undefined;
  #flushPlanned = false;

  constructor(threads: number) {
    this.#threads = new Threads(join(__dirname, 'compress-worker.js'), threads);
    this.#threads.start();
  }

  compress({ bytes, dictionary, last, mayStore }: Piece): Promise<CompressedPiece> {
    const needed = bytes.length + dictionary.length;
    if (this.#open !== undefined && this.#open.bytes + needed > this.#open.slab.input.length) this.#flush();
    this.#open ??= { slab: this.#slabFor(needed), pieces: [], waiting: [], bytes: 0 };
    const { slab, pieces, waiting, bytes: at } = this.#open;
    slab.input.set(dictionary, at);
    slab.input.set(bytes, at + dictionary.length);
    pieces.push({ at, dictionaryLength: dictionary.length, length: bytes.length, last, mayStore });
    this.#open.bytes += needed;
    const result = new Promise<CompressedPiece>((resolve, reject) => waiting.push({ resolve, reject }));
    if (this.#open.bytes >= BATCH_BYTES) this.#flush();
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
    return free.pop() ?? { input: shared(room), output: shared(room + MOST_GROWTH) };
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
    const { slab, pieces, waiting } = this.#open;
    this.#open = undefined;
    this.#threads.ask({ input: slab.input.buffer, output: slab.output.buffer, pieces }).then(
      (ends) => {
        resultsOf(slab, pieces, ends).forEach((result, i) => waiting[i]?.resolve(result));
        (slab.input.length === BATCH_BYTES ? this.#free.small : this.#free.large).push(slab);
      },
      (error: unknown) => waiting.forEach((one) => one.reject(error)),
    );
  }
}

/** What came of each piece, in memory of its own. */
function resultsOf({ input, output }: Slab, pieces: readonly PlacedPiece[], ends: BatchAnswer): CompressedPiece[] {
  let from = 0;
  return pieces.map(({ at, dictionaryLength, length }, i) => {
    const end = ends[i];
    const start = at + dictionaryLength;
    if (end === undefined) return { data: new Uint8Array(input.subarray(start, start + length)), stored: true };
    const data = new Uint8Array(output.subarray(from, end));
    from = end;
    return { data, stored: false };
  });
}

function shared(bytes: number): Uint8Array<SharedArrayBuffer> {
  return new Uint8Array(new SharedArrayBuffer(bytes));
}
