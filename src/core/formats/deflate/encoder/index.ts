// The deflate encoder (RFC 1951). Whole-number arithmetic on linear memory only, so that the same input gives the same
// bytes on every machine: WebAssembly leaves such code no freedom. Compiled to encoder-module.ts by scripts/encoder.mjs.
import { OUTPUT, alignBits, outputLength, startBits } from './bits';
import { addLiteral, addMatch, blockIsEmpty, startBlock, writeBlock, writeStored } from './blocks';
import { INPUT, enter, findMatch, foundDistance, startMatches } from './matches';
import { isNoise } from './noise';
import { MIN_MATCH } from './tables';

/**
 * How hard to look: candidates tried, and the length that is good enough. In longer segments more stands alike, so there it
 * is looked farther, unless they have few kinds of bytes, as lists of numbers do, where nearly everything stands alike and
 * little of it for long. Short ones are many, and have little to find. Part of what pins the output.
 */
const DEPTH: i32 = 12;
const DEPTH_IN_LONG: i32 = 28;
const LONG: i32 = 16 * 1024;
const NICE_LENGTH: i32 = 128;
/** Where a match is as long as this, a longer one is looked for less hard. */
const GOOD_LENGTH: i32 = 8;
/** After so many literals in a row, positions are passed over, ever more of them, until something matches again. */
const PATIENCE_SHIFT: i32 = 8;
const MAX_STEP: i32 = 16;
/** Matches as long as this are taken without looking whether the next one is longer. */
const MAX_LAZY: i32 = 16;
/** Rough price of a match without the extra bits of its distance. */
const MATCH_BITS: i32 = 10;
const seen = memory.data(256);
let literalBits: i32 = 8;
/** Candidates tried in this segment: at first, for a longer match a byte later, and for one longer than a good one. */
let depth: i32 = 0;
let laterDepth: i32 = 0;
let leastDepth: i32 = 0;
/** Whether matches of three bytes can be worth their bits. */
let shortToo: bool = true;
/** Bytes that must follow a position that is hashed. */
const HASHED: i32 = 4;

export function input(): usize {
  return INPUT;
}

export function output(): usize {
  return OUTPUT;
}

/**
 * Deflates `segmentLength` bytes that lie in the input area after `dictionaryLength` bytes to which matches may reach.
 * `last` ends the stream; otherwise it ends at a byte boundary with an empty stored block. Gives the output's length.
 */
export function deflate(dictionaryLength: i32, segmentLength: i32, last: bool): i32 {
  const start = INPUT + dictionaryLength;
  const end = start + segmentLength;
  // Reads past the end must not depend on what an earlier segment left there.
  store<u64>(end, 0);
  startBits();
  literalBits = priceOfLiterals(start, end);
  shortToo = literalBits > 6;
  depth = segmentLength > LONG && shortToo ? DEPTH_IN_LONG : DEPTH;
  laterDepth = depth / 3;
  leastDepth = depth >> 2;
  if (literalBits == 8 && isNoise(INPUT, start, end)) writeStored(start, segmentLength, last);
  else search(start, end, dictionaryLength + segmentLength, last);
  if (!last) writeStored(end, 0, false);
  alignBits();
  return outputLength();
}

function search(start: usize, end: usize, length: i32, last: bool): void {
  startMatches(length);
  startBlock();
  for (let at = INPUT; at < start && at + HASHED <= end; at++) enter(at);
  const blockStart = compress(start, end);
  if (last || !blockIsEmpty()) writeBlock(blockStart, <i32>(end - blockStart), last);
}

/** Lazy matching: a match is put off by a byte when the next position has a longer one. Gives where the open block starts. */
function compress(start: usize, end: usize): usize {
  let blockStart = start;
  let at = start;
  let length = 0;
  let distance = 0;
  let lastMatch = start;
  while (at < end) {
    if (length == 0 && at + HASHED <= end) {
      length = matchAt(at, MIN_MATCH - 1, depth);
      distance = foundDistance;
    }
    if (length < MIN_MATCH || !isWorth(length, distance)) {
      length = 0;
      const step = min(1 + (<i32>(at - lastMatch) >> PATIENCE_SHIFT), MAX_STEP);
      for (const next = min(at + step, end); at < next; ) if (addLiteral(load<u8>(at++))) blockStart = flush(blockStart, at);
      continue;
    }
    if (length < MAX_LAZY && at + 1 + HASHED <= end) {
      const next = matchAt(at + 1, length - 1, length >= GOOD_LENGTH ? leastDepth : laterDepth);
      if (next >= length && isBetter(next - length, distance, foundDistance)) {
        length = next;
        distance = foundDistance;
        if (addLiteral(load<u8>(at++))) blockStart = flush(blockStart, at);
        continue;
      }
      enterRest(at + 2, at + length, end);
    } else {
      enterRest(at + 1, at + length, end);
    }
    const full = addMatch(distance, length);
    at += length;
    length = 0;
    lastMatch = at;
    if (full) blockStart = flush(blockStart, at);
  }
  return blockStart;
}

/** Whether a match costs fewer bits than its literals, by a rough price of both; long ones always do. */
// @ts-ignore: decorator
@inline function isWorth(length: i32, distance: i32): bool {
  return length >= 6 || length * literalBits >= MATCH_BITS + (31 - clz(distance));
}

/** Bits of a literal if all bytes that occur were equally frequent: an upper bound, good enough to price matches. */
function priceOfLiterals(from: usize, to: usize): i32 {
  memory.fill(seen, 0, 256);
  for (let at = from; at < to; at++) store<u8>(seen + load<u8>(at), 1);
  let kinds = 0;
  for (let i = 0; i < 256; i++) kinds += load<u8>(seen + i);
  return 32 - clz(max(kinds, 2) - 1);
}

/** Whether a match a byte later is worth the literal: a longer one, or one much nearer, since near ones cost fewer bits. */
// @ts-ignore: decorator
@inline function isBetter(longer: i32, distance: i32, nextDistance: i32): bool {
  return 4 * longer + (clz(nextDistance) - clz(distance)) > 2;
}

// @ts-ignore: decorator
@inline function matchAt(at: usize, longerThan: i32, depth: i32): i32 {
  return findMatch(at, longerThan, depth, NICE_LENGTH, shortToo);
}

// @ts-ignore: decorator
@inline function enterRest(from: usize, to: usize, end: usize): void {
  const stop = min(to, end - HASHED + 1);
  for (let at = from; at < stop; at++) enter(at);
}

function flush(blockStart: usize, at: usize): usize {
  writeBlock(blockStart, <i32>(at - blockStart), false);
  return at;
}
