/** Finds many short texts in bytes in one pass, in small and large letters (Aho and Corasick, 1975). */

export interface FoundAnchor {
  /** Of the anchor, in the order in which they were given. */
  readonly which: number;
  /** Offset of its first byte. */
  readonly at: number;
}

const BYTES = 256;

export class AnchorFinder {
  /** The class of each byte: those that stand in no anchor are alike. */
  readonly #classes = new Uint8Array(BYTES);
  readonly #width: number;
  /** The state after each class of byte, for each state, by the place where its row begins. */
  readonly #next: Uint32Array;
  /** The anchors that end in a state, by its row. */
  readonly #ends: (readonly number[] | undefined)[] = [];
  readonly #hasEnds: Uint8Array;
  readonly #lengths: readonly number[];

  /** @param anchors in small letters, one byte each */
  constructor(anchors: readonly string[]) {
    const all = anchors.map((anchor) => Buffer.from(anchor, 'latin1'));
    this.#lengths = all.map(({ length }) => length);
    const letters = [...new Set(all.flatMap((anchor) => [...anchor]))].sort((a, b) => a - b);
    letters.forEach((byte, i) => {
      this.#classes[byte] = i + 1;
      // ASCII: `a` to `z`.
      if (byte >= 0x61 && byte <= 0x7a) this.#classes[byte - 0x20] = i + 1;
    });
    this.#width = letters.length + 1;
    const states = all.reduce((sum, { length }) => sum + length, 1);
    this.#next = new Uint32Array(states * this.#width);
    this.#hasEnds = new Uint8Array(states * this.#width);
    const ends = this.#plant(all);
    this.#fail(ends);
  }

  /** The tree of all anchors. @returns which end where */
  #plant(anchors: readonly Buffer[]): number[][] {
    const ends: number[][] = [[]];
    anchors.forEach((anchor, which) => {
      let state = 0;
      for (const byte of anchor) {
        const at = state + (this.#classes[byte] ?? 0);
        if (this.#next[at] === 0) {
          this.#next[at] = ends.length * this.#width;
          ends.push([]);
        }
        state = this.#next[at] ?? 0;
      }
      ends[state / this.#width]?.push(which);
    });
    return ends;
  }

  /** Where nothing goes on, what goes on from the longest end that begins an anchor does. */
  #fail(ends: number[][]): void {
    const fallback = new Map<number, number>();
    const open: number[] = [];
    for (let i = 1; i < this.#width; i++) {
      const child = this.#next[i] ?? 0;
      if (child === 0) continue;
      fallback.set(child, 0);
      open.push(child);
    }
    for (const state of open) {
      const other = fallback.get(state) ?? 0;
      const row = state / this.#width;
      ends[row]?.push(...(ends[other / this.#width] ?? []));
      for (let i = 1; i < this.#width; i++) {
        const child = this.#next[state + i] ?? 0;
        const instead = this.#next[other + i] ?? 0;
        if (child === 0) this.#next[state + i] = instead;
        else {
          fallback.set(child, instead);
          open.push(child);
        }
      }
    }
    ends.forEach((which, row) => {
      if (which.length === 0) return;
      this.#ends[row * this.#width] = which;
      this.#hasEnds[row * this.#width] = 1;
    });
  }

  /** Those that begin between two offsets, in the order in which they end. @param take says whether to go on */
  find(bytes: Uint8Array, from: number, to: number, take: (found: FoundAnchor) => boolean): void {
    const [classes, next, hasEnds] = [this.#classes, this.#next, this.#hasEnds];
    const end = Math.min(bytes.length, to + Math.max(...this.#lengths));
    let state = 0;
    for (let i = from; i < end; i++) {
      state = next[state + (classes[bytes[i] ?? 0] ?? 0)] ?? 0;
      if (hasEnds[state] === 0) continue;
      for (const which of this.#ends[state] ?? []) {
        const at = i + 1 - (this.#lengths[which] ?? 0);
        if (at < to && !take({ which, at })) return;
      }
    }
  }
}
