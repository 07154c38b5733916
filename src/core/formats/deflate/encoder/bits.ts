// Packs bits into bytes from the least significant end (RFC 1951 3.1.1), straight into the output area.

/** Bytes that the output area holds: a full segment as stored blocks, and room to spare for headers. */
const OUTPUT_BYTES: i32 = 1024 * 1024 + 64 * 1024;
export const OUTPUT = memory.data(OUTPUT_BYTES, 8);

let next: usize = OUTPUT;
let held: u64 = 0;
let heldBits: u64 = 0;

export function startBits(): void {
  next = OUTPUT;
  held = 0;
  heldBits = 0;
}

/** Appends the low `count` bits of `value`, at most 48. */
// @ts-ignore: decorator
@inline export function putBits(value: u64, count: u64): void {
  held |= value << heldBits;
  heldBits += count;
  if (heldBits >= 16) spill();
}

// @ts-ignore: decorator
@inline function spill(): void {
  store<u64>(next, held);
  const bytes = heldBits >> 3;
  next += <usize>bytes;
  held = bytes == 8 ? 0 : held >> (bytes << 3);
  heldBits &= 7;
}

/** Fills up to the next whole byte with zero bits. */
export function alignBits(): void {
  heldBits = (heldBits + 7) & ~7;
  spill();
}

/** Appends whole bytes; must be aligned. */
export function putBytes(from: usize, length: i32): void {
  memory.copy(next, from, length);
  next += length;
}

/** Bytes written so far; must be aligned. */
export function outputLength(): i32 {
  return <i32>(next - OUTPUT);
}
