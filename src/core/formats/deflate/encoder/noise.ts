// Tells segments that deflate cannot make smaller, such as pictures and archives: they are stored without a search.

/** Bytes whose frequencies are looked at together; shorter segments are looked at as a whole. */
const BLOCK: i32 = 8192;
/** What is shorter than this is searched like any other. */
const SHORTEST: i32 = 512;
const counts = memory.data(256 * 4, 4);

const SAMPLES_BITS: i32 = 13;
/** Where the sampled positions are, as offsets and one more. */
const samples = memory.data((1 << SAMPLES_BITS) * 4, 4);
/** Which positions are sampled is a matter of what stands there, so that of two equal stretches the same ones are. */
const SAMPLED_MASK: u32 = 31;

/** @param before where the bytes start to which matches may reach @param from where the segment starts */
export function isNoise(before: usize, from: usize, to: usize): bool {
  const length = <i32>(to - from);
  if (length < SHORTEST) return false;
  const block = min(length, BLOCK);
  for (let at = from; at < to; at += block) if (!isEven(min(at, to - block), block)) return false;
  return !repeats(before, from, to);
}

/**
 * Whether bytes are as evenly spread as chance spreads them. The sum of squared frequencies is then n * n / 256 + n, in
 * a whole block give or take half a hundredth; six hundredths more let a code of Huffman's save less than one, and in a
 * short segment less than what describing the code costs.
 */
function isEven(from: usize, length: i32): bool {
  memory.fill(counts, 0, 256 * 4);
  for (let at = from; at < from + length; at += 1) {
    const slot = counts + (<usize>load<u8>(at) << 2);
    store<u32>(slot, load<u32>(slot) + 1);
  }
  let squares = 0;
  for (let i = 0; i < 256; i++) {
    const count: i32 = load<u32>(counts + (i << 2));
    squares += count * count;
  }
  return squares <= (((length * length) >> 8) + length) / 100 * 106;
}

/** Whether eight bytes at any sampled position stand at an earlier one. */
function repeats(before: usize, from: usize, to: usize): bool {
  memory.fill(samples, 0, (1 << SAMPLES_BITS) * 4);
  for (let at = before; at + 8 <= to; at++) {
    const value = load<u64>(at);
    const hash = <u32>((value * 0x9e3779b185ebca87) >> 32);
    if ((hash & SAMPLED_MASK) != 0) continue;
    const slot = samples + ((hash >> (32 - SAMPLES_BITS)) << 2);
    const earlier = load<u32>(slot);
    store<u32>(slot, <u32>(at - before) + 1);
    if (at >= from && earlier != 0 && load<u64>(before + earlier - 1) == value) return true;
  }
  return false;
}
