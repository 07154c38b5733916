/** Reads tar archives that come in pieces, whatever their size, in memory of a few pieces. */
import { paddedSize, TarHeads } from './entries';
import { BLOCK_BYTES } from './header';
import type { PlacedHead } from './reader';

export interface StreamedEntry extends PlacedHead {
  /** The content; what is not taken before the next entry is passed over. */
  readonly content: AsyncIterable<Uint8Array>;
}

/**
 * @param chunks the archive, in pieces of any size
 * @param name the archive's name, for messages
 * @throws EmballageError PACKAGE_INVALID where the archive is damaged or cut off
 */
export async function* streamTar(chunks: AsyncIterable<Uint8Array>, name: string): AsyncGenerator<StreamedEntry> {
  const heads = new TarHeads(name);
  const input = new Input(chunks);
  for (;;) {
    const at = input.taken;
    const block = await input.take(BLOCK_BYTES);
    if (block.length === 0) return;
    if (block.length < BLOCK_BYTES) throw heads.bad('the whole archive', 'an end in the middle of a header');
    const step = heads.next(block, at);
    if (step.is === 'end') return;
    if (step.is === 'extended') {
      const content = await input.take(paddedSize(step.size));
      if (content.length < step.size) throw heads.bad('the whole archive', 'an end in the middle of a header');
      heads.extend(content.subarray(0, step.size));
      continue;
    }
    const start = input.taken;
    const end = start + step.head.size;
    yield { head: step.head, at: start, content: input.upTo(end) };
    for await (const _rest of input.upTo(start + paddedSize(step.head.size)));
    // The padding of the last entry may be missing; content may not.
    if (input.taken < end)
      throw heads.bad('the whole archive', `an end in the middle of an entry, after byte ${String(input.taken)}`);
  }
}

class Input {
  readonly #chunks: AsyncIterator<Uint8Array>;
  #held: Uint8Array = new Uint8Array(0);
  #taken = 0;

  constructor(chunks: AsyncIterable<Uint8Array>) {
    this.#chunks = chunks[Symbol.asyncIterator]();
  }

  /** Bytes handed out so far. */
  get taken(): number {
    return this.#taken;
  }

  /** So many bytes in one piece; fewer at the end. */
  async take(length: number): Promise<Uint8Array> {
    const parts: Uint8Array[] = [];
    for await (const part of this.upTo(this.#taken + length)) parts.push(part);
    return parts.length === 1 && parts[0] !== undefined ? parts[0] : Buffer.concat(parts);
  }

  /** What comes up to a place, in the pieces in which it came. */
  async *upTo(end: number): AsyncGenerator<Uint8Array> {
    while (this.#taken < end) {
      if (this.#held.length === 0) {
        const next = await this.#chunks.next();
        if (next.done === true) return;
        this.#held = next.value;
        continue;
      }
      const part = this.#held.subarray(0, end - this.#taken);
      this.#held = this.#held.subarray(part.length);
      this.#taken += part.length;
      yield part;
    }
  }
}
