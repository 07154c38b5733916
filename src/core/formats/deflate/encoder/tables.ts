// Numbers of the deflate format (RFC 1951) and the tables derived from them.

/** RFC 1951 3.2.5: shortest and longest match, farthest distance. */
export const MIN_MATCH: i32 = 3;
export const MAX_MATCH: i32 = 258;
export const MAX_DISTANCE: i32 = 32768;

export const END_OF_BLOCK: i32 = 256;
export const LITERAL_CODES: i32 = 286;
export const DISTANCE_CODES: i32 = 30;
export const PRECODE_CODES: i32 = 19;
export const FIXED_LITERAL_CODES: i32 = 288;

// RFC 1951 3.2.5: extra bits of length codes 257 to 285, and of distance codes.
const LENGTH_EXTRA = memory.data<u8>([
  0, 0, 0, 0, 0, 0, 0, 0, 1, 1, 1, 1, 2, 2, 2, 2, 3, 3, 3, 3, 4, 4, 4, 4, 5, 5, 5, 5, 0,
]);
const DISTANCE_EXTRA = memory.data<u8>([
  0, 0, 0, 0, 1, 1, 2, 2, 3, 3, 4, 4, 5, 5, 6, 6, 7, 7, 8, 8, 9, 9, 10, 10, 11, 11, 12, 12, 13, 13,
]);
// RFC 1951 3.2.7: the order in which the lengths of the code length code are sent.
const PRECODE_ORDER = memory.data<u8>([16, 17, 18, 0, 8, 7, 9, 6, 10, 5, 11, 4, 12, 3, 13, 2, 14, 1, 15]);

// Code of each length 3 to 258; first length of each code; code of each distance, below 257 directly and above by
// 128; first distance of each code.
const LENGTH_CODE = memory.data(259);
const LENGTH_BASE = memory.data(29 * 2, 2);
const NEAR_CODE = memory.data(257);
const FAR_CODE = memory.data(257);
const DISTANCE_BASE = memory.data(30 * 4, 4);

// @ts-ignore: decorator
@inline export function lengthExtra(code: i32): i32 {
  return load<u8>(LENGTH_EXTRA + code);
}
// @ts-ignore: decorator
@inline export function lengthCode(length: i32): i32 {
  return load<u8>(LENGTH_CODE + length);
}
// @ts-ignore: decorator
@inline export function lengthBase(code: i32): i32 {
  return load<u16>(LENGTH_BASE + (code << 1));
}
// @ts-ignore: decorator
@inline export function distanceExtra(code: i32): i32 {
  return load<u8>(DISTANCE_EXTRA + code);
}
// @ts-ignore: decorator
@inline export function distanceCode(distance: i32): i32 {
  return distance <= 256 ? load<u8>(NEAR_CODE + distance) : load<u8>(FAR_CODE + ((distance - 1) >> 7));
}
// @ts-ignore: decorator
@inline export function distanceBase(code: i32): i32 {
  return load<i32>(DISTANCE_BASE + (code << 2));
}
// @ts-ignore: decorator
@inline export function precodeOrder(index: i32): i32 {
  return load<u8>(PRECODE_ORDER + index);
}

fillLengths();
fillDistances();

function fillLengths(): void {
  let length = MIN_MATCH;
  for (let code = 0; code < 29; code++) {
    store<u16>(LENGTH_BASE + (code << 1), length);
    for (let n = 0; n < 1 << lengthExtra(code) && length < MAX_MATCH; n++) store<u8>(LENGTH_CODE + length++, code);
  }
  // The longest match has a code of its own without extra bits, though code 284 could say it too.
  store<u16>(LENGTH_BASE + (28 << 1), MAX_MATCH);
  store<u8>(LENGTH_CODE + MAX_MATCH, 28);
}

function fillDistances(): void {
  let distance = 1;
  for (let code = 0; code < DISTANCE_CODES; code++) {
    store<i32>(DISTANCE_BASE + (code << 2), distance);
    for (let n = 0; n < 1 << distanceExtra(code); n++, distance++) {
      if (distance <= 256) store<u8>(NEAR_CODE + distance, code);
      store<u8>(FAR_CODE + ((distance - 1) >> 7), code);
    }
  }
}
