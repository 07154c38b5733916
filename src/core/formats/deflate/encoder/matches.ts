// Finds earlier occurrences: chains of positions with the same hash of four bytes, and the latest for three bytes.
import { MAX_DISTANCE, MAX_MATCH } from './tables';

/** Longest dictionary and longest segment, in bytes. */
export const DICTIONARY_BYTES: i32 = 32_768;
export const SEGMENT_BYTES: i32 = 1024 * 1024;

/** Dictionary and segment, one after the other; reads may go 8 bytes past the end. */
export const INPUT = memory.data(DICTIONARY_BYTES + SEGMENT_BYTES + 8, 8);

const HASH4_BITS: i32 = 16;
const HASH3_BITS: i32 = 14;
const WINDOW_MASK: i32 = MAX_DISTANCE - 1;
/** A match of three bytes farther away than this costs more than three literals. */
const MAX_DISTANCE_OF_3: i32 = 4096;

// Positions as they count up over all segments, so that what an earlier segment left is too far away to be used.
const head4 = memory.data((1 << HASH4_BITS) * 4, 4);
const head3 = memory.data((1 << HASH3_BITS) * 4, 4);
const chain = memory.data(MAX_DISTANCE * 4, 4);
/** What to add to an offset into INPUT to get its position. */
let base: i32 = MAX_DISTANCE + 1;
let used: i32 = 0;
let end: usize = 0;

/** The distance of the match that was found last. */
export let foundDistance: i32 = 0;

/** Prepares for `length` bytes of input. */
export function startMatches(length: i32): void {
  base += used + MAX_DISTANCE;
  used = length;
  end = INPUT + length;
  if (base > i32.MAX_VALUE - 4 * SEGMENT_BYTES) {
    base = MAX_DISTANCE + 1;
    memory.fill(head4, 0, (1 << HASH4_BITS) * 4);
    memory.fill(head3, 0, (1 << HASH3_BITS) * 4);
  }
}

// @ts-ignore: decorator
@inline function hash(value: u32, bits: i32): i32 {
  return (value * 0x9e3779b1) >> (32 - bits);
}

/** Enters a position without looking for a match; only for matches of four bytes and more. Four bytes must follow. */
// @ts-ignore: decorator
@inline export function enter(at: usize): void {
  const value = load<u32>(at);
  const position = <i32>(at - INPUT) + base;
  const slot = head4 + (hash(value, HASH4_BITS) << 2);
  store<i32>(chain + ((position & WINDOW_MASK) << 2), load<i32>(slot));
  store<i32>(slot, position);
}

/**
 * Enters a position and looks for a match longer than `longerThan`. Gives its length, or `longerThan` where there is
 * none; its distance is in foundDistance. At least four bytes must follow `at`. Matches of three bytes are looked for
 * only when `shortToo` says so.
 */
// @ts-ignore: decorator
@inline export function findMatch(at: usize, longerThan: i32, depth: i32, nice: i32, shortToo: bool): i32 {
  const value = load<u32>(at);
  const position = <i32>(at - INPUT) + base;
  // The slot of the position a whole window back has just been taken, so that one is out of reach.
  const oldest = max(position - MAX_DISTANCE + 1, base);
  const slot4 = head4 + (hash(value, HASH4_BITS) << 2);
  let candidate = load<i32>(slot4);
  store<i32>(slot4, position);
  store<i32>(chain + ((position & WINDOW_MASK) << 2), candidate);

  let best = longerThan;
  if (shortToo) {
    const slot3 = head3 + (hash(value << 8, HASH3_BITS) << 2);
    const candidate3 = load<i32>(slot3);
    store<i32>(slot3, position);
    if (best < 3 && candidate3 >= oldest && position - candidate3 <= MAX_DISTANCE_OF_3) {
      if (load<u32>(INPUT + (candidate3 - base)) << 8 == value << 8) {
        best = 3;
        foundDistance = position - candidate3;
      }
    }
  }
  const most = min(MAX_MATCH, <i32>(end - at));
  if (best < 4) {
    // Nothing yet: the first that agrees in four bytes is taken.
    while (true) {
      if (candidate < oldest || depth-- <= 0) return best;
      const from = INPUT + (candidate - base);
      if (load<u32>(from) == value) {
        best = commonLength(from, at, most);
        foundDistance = position - candidate;
        break;
      }
      candidate = load<i32>(chain + ((candidate & WINDOW_MASK) << 2));
    }
    if (best >= nice || best == most) return best;
    candidate = load<i32>(chain + ((candidate & WINDOW_MASK) << 2));
  }
  let tail = load<u32>(at + best - 3);
  while (candidate >= oldest && depth-- > 0) {
    const from = INPUT + (candidate - base);
    if (load<u32>(from + best - 3) == tail && load<u32>(from) == value) {
      const length = commonLength(from, at, most);
      if (length > best) {
        best = length;
        foundDistance = position - candidate;
        if (length >= nice || length == most) break;
        tail = load<u32>(at + best - 3);
      }
    }
    candidate = load<i32>(chain + ((candidate & WINDOW_MASK) << 2));
  }
  return best;
}

/** How many bytes agree, at least four and at most `most`. */
// @ts-ignore: decorator
@inline function commonLength(a: usize, b: usize, most: i32): i32 {
  let n = 4;
  while (n < most) {
    const difference = load<u64>(a + n) ^ load<u64>(b + n);
    if (difference != 0) return min(n + <i32>(ctz(difference) >> 3), most);
    n += 8;
  }
  return most;
}
