/**
 * A batch of pieces in memory that two threads see: what is to be compressed, what comes of it, and the lengths of both. A
 * message then is that memory alone, whose sending costs the same however many pieces there are.
 */
import { MOST_GROWTH } from '../../formats/deflate';
import type { CompressedPiece, Piece } from './compress';

/** More pieces than a batch has room for are small ones, of which so many are a message’s worth. */
const MOST_PIECES = 1024;
/** Of each piece: length of its dictionary, its own, what is asked, and where it ends in the output. */
const NUMBERS = 4;
const LAST = 1;
const MAY_STORE = 2;
/** Instead of an end: it is no smaller than it was, and stays so. */
const STORED = -1;
const HEAD_BYTES = MOST_PIECES * NUMBERS * Int32Array.BYTES_PER_ELEMENT;

export class Slab {
  readonly memory: SharedArrayBuffer;
  readonly #numbers: Int32Array;
  readonly #input: Uint8Array;
  readonly #output: Uint8Array;

  /** @param room bytes of pieces, with their dictionaries */
  static of(room: number): Slab {
    return new Slab(new SharedArrayBuffer(HEAD_BYTES + 2 * room + MOST_GROWTH));
  }

  constructor(memory: SharedArrayBuffer) {
    this.memory = memory;
    const room = (memory.byteLength - HEAD_BYTES - MOST_GROWTH) / 2;
    this.#numbers = new Int32Array(memory, 0, MOST_PIECES * NUMBERS);
    this.#input = new Uint8Array(memory, HEAD_BYTES, room);
    this.#output = new Uint8Array(memory, HEAD_BYTES + room);
  }

  get room(): number {
    return this.#input.length;
  }

  /** @param pieces how many there are already @param bytes and how many bytes they take */
  hasRoomFor(piece: Piece, pieces: number, bytes: number): boolean {
    return pieces < MOST_PIECES && bytes + piece.dictionary.length + piece.bytes.length <= this.#input.length;
  }

  put({ bytes, dictionary, last, mayStore }: Piece, index: number, at: number): void {
    this.#input.set(dictionary, at);
    this.#input.set(bytes, at + dictionary.length);
    const asked = (last ? LAST : 0) | (mayStore ? MAY_STORE : 0);
    this.#numbers.set([dictionary.length, bytes.length, asked], index * NUMBERS);
  }

  /** In the other thread: puts what `compress` makes of each piece into the output. */
  compressAll(pieces: number, compress: (piece: Piece) => CompressedPiece): void {
    let end = 0;
    this.#each(pieces, (index, start, stop, dictionaryLength) => {
      const asked = this.#number(index, 2);
      const { data, stored } = compress({
        bytes: this.#input.subarray(start, stop),
        dictionary: this.#input.subarray(start - dictionaryLength, start),
        last: (asked & LAST) !== 0,
        mayStore: (asked & MAY_STORE) !== 0,
      });
      if (!stored) {
        this.#output.set(data, end);
        end += data.length;
      }
      this.#numbers[index * NUMBERS + 3] = stored ? STORED : end;
    });
  }

  /** What came of each piece, in memory that is no longer this. */
  results(pieces: number): CompressedPiece[] {
    const copy = new Uint8Array(this.#resultBytes(pieces));
    const results: CompressedPiece[] = [];
    let from = 0;
    let at = 0;
    this.#each(pieces, (index, start, stop) => {
      const end = this.#number(index, 3);
      const stored = end === STORED;
      const data = stored ? this.#input.subarray(start, stop) : this.#output.subarray(from, end);
      copy.set(data, at);
      results.push({ data: copy.subarray(at, (at += data.length)), stored });
      if (!stored) from = end;
    });
    return results;
  }

  #resultBytes(pieces: number): number {
    let deflated = 0;
    let kept = 0;
    this.#each(pieces, (index, start, stop) => {
      const end = this.#number(index, 3);
      if (end === STORED) kept += stop - start;
      else deflated = end;
    });
    return deflated + kept;
  }

  /** Tells where each piece lies in the input, and how long the dictionary before it is. */
  #each(pieces: number, take: (index: number, start: number, stop: number, dictionaryLength: number) => void): void {
    let at = 0;
    for (let index = 0; index < pieces; index++) {
      const dictionaryLength = this.#number(index, 0);
      const start = at + dictionaryLength;
      at = start + this.#number(index, 1);
      take(index, start, at, dictionaryLength);
    }
  }

  #number(index: number, which: number): number {
    return this.#numbers[index * NUMBERS + which] ?? 0;
  }
}
