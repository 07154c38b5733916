// Turns the symbols of one block into bits: stored, fixed or dynamic codes, whichever is shortest.
import { alignBits, putBits, putBytes } from './bits';
import { Code, assignCodes, buildCode } from './huffman';
import {
  DISTANCE_CODES,
  END_OF_BLOCK,
  FIXED_LITERAL_CODES,
  LITERAL_CODES,
  PRECODE_CODES,
  distanceBase,
  distanceCode,
  distanceExtra,
  lengthBase,
  lengthCode,
  lengthExtra,
  precodeOrder,
} from './tables';

/** RFC 1951 3.2.3: BTYPE. */
const STORED_BLOCK: u64 = 0;
const FIXED_BLOCK: u64 = 1;
const DYNAMIC_BLOCK: u64 = 2;

/** Most symbols that one block holds. Part of what pins the output. */
export const BLOCK_SYMBOLS: i32 = 12_000;
/** RFC 1951 3.2.4: LEN has 16 bits. */
const MAX_STORED: i32 = 65_535;

const MAX_BITS: i32 = 15;
const MAX_PRECODE_BITS: i32 = 7;

const literalFrequency = memory.data(FIXED_LITERAL_CODES * 4, 4);
const distanceFrequency = memory.data(DISTANCE_CODES * 4, 4);
const literals = newCode(literalFrequency);
const distances = newCode(distanceFrequency);
const precode = newCode(memory.data(PRECODE_CODES * 4, 4));
const fixedLiterals = newCode(0);
const fixedDistances = newCode(0);
fillFixed();

/** Each symbol as a u32: a literal, or length << 16 | distance, where a length is never 0. */
const symbols = memory.data(BLOCK_SYMBOLS * 4, 4);
let symbolCount: i32 = 0;
/** Runs of code lengths: symbol << 8 | extra. */
const runs = memory.data((LITERAL_CODES + DISTANCE_CODES) * 2, 2);
let runCount: i32 = 0;

function newCode(frequencies: usize): Code {
  return new Code(frequencies, heap.alloc(FIXED_LITERAL_CODES), heap.alloc(FIXED_LITERAL_CODES * 2));
}

/** RFC 1951 3.2.6. */
function fillFixed(): void {
  for (let i = 0; i < FIXED_LITERAL_CODES; i++)
    store<u8>(fixedLiterals.lengths + i, i < 144 ? 8 : i < 256 ? 9 : i < 280 ? 7 : 8);
  fixedLiterals.maxSymbol = FIXED_LITERAL_CODES - 1;
  assignCodes(fixedLiterals);
  memory.fill(fixedDistances.lengths, 5, DISTANCE_CODES);
  fixedDistances.maxSymbol = DISTANCE_CODES - 1;
  assignCodes(fixedDistances);
}

// @ts-ignore: decorator
@inline function tally(table: usize, symbol: i32): void {
  store<u32>(table + (symbol << 2), load<u32>(table + (symbol << 2)) + 1);
}

export function startBlock(): void {
  symbolCount = 0;
  memory.fill(literalFrequency, 0, FIXED_LITERAL_CODES * 4);
  memory.fill(distanceFrequency, 0, DISTANCE_CODES * 4);
}

/** Adds a literal; true when the block is full. */
// @ts-ignore: decorator
@inline export function addLiteral(byte: i32): bool {
  store<u32>(symbols + (symbolCount++ << 2), byte);
  tally(literalFrequency, byte);
  return symbolCount == BLOCK_SYMBOLS;
}

/** Adds a match; true when the block is full. */
// @ts-ignore: decorator
@inline export function addMatch(distance: i32, length: i32): bool {
  // Distance 32768 needs 16 bits, so it is kept minus one.
  store<u32>(symbols + (symbolCount++ << 2), (length << 16) | (distance - 1));
  tally(literalFrequency, 257 + lengthCode(length));
  tally(distanceFrequency, distanceCode(distance));
  return symbolCount == BLOCK_SYMBOLS;
}

// @ts-ignore: decorator
@inline export function blockIsEmpty(): bool {
  return symbolCount == 0;
}

/** Writes the block, whose symbols stand for `length` bytes at `raw`, and starts a new one. */
export function writeBlock(raw: usize, length: i32, last: bool): void {
  store<u32>(literalFrequency + (END_OF_BLOCK << 2), 1);
  buildCode(literals, LITERAL_CODES, MAX_BITS);
  buildCode(distances, DISTANCE_CODES, MAX_BITS);
  const dynamicBits = describeCodes() + contentBits(literals, distances);
  const fixedBits = contentBits(fixedLiterals, fixedDistances);
  const storedBlocks = max(1, (length + MAX_STORED - 1) / MAX_STORED);
  const storedBits = (length << 3) + storedBlocks * (7 + 32);
  if (storedBits <= min(dynamicBits, fixedBits)) {
    writeStored(raw, length, last);
  } else if (fixedBits <= dynamicBits) {
    putBits((FIXED_BLOCK << 1) | u64(last), 3);
    writeSymbols(fixedLiterals, fixedDistances);
  } else {
    putBits((DYNAMIC_BLOCK << 1) | u64(last), 3);
    writeHeader();
    writeSymbols(literals, distances);
  }
  startBlock();
}

/** RFC 1951 3.2.4: blocks without compression; an empty one marks a byte boundary. */
export function writeStored(raw: usize, length: i32, last: bool): void {
  do {
    const part = min(length, MAX_STORED);
    length -= part;
    putBits((STORED_BLOCK << 1) | u64(last && length == 0), 3);
    alignBits();
    putBits(part, 16);
    putBits(~part & 0xffff, 16);
    putBytes(raw, part);
    raw += part;
  } while (length > 0);
}

function contentBits(near: Code, far: Code): i32 {
  let total = 0;
  for (let code = 0; code < LITERAL_CODES; code++) {
    const extra = code > END_OF_BLOCK ? lengthExtra(code - 257) : 0;
    total += load<u32>(literalFrequency + (code << 2)) * (load<u8>(near.lengths + code) + extra);
  }
  for (let code = 0; code < DISTANCE_CODES; code++)
    total += load<u32>(distanceFrequency + (code << 2)) * (load<u8>(far.lengths + code) + distanceExtra(code));
  return total;
}

/** A symbol goes out in one piece: at most 15 + 5 + 15 + 13 bits. */
function writeSymbols(near: Code, far: Code): void {
  const nearCodes = near.codes;
  const nearLengths = near.lengths;
  const farCodes = far.codes;
  const farLengths = far.lengths;
  const end = symbols + (symbolCount << 2);
  for (let at = symbols; at < end; at += 4) {
    const symbol = load<u32>(at);
    const length: i32 = symbol >> 16;
    if (length == 0) {
      putBits(load<u16>(nearCodes + (symbol << 1)), load<u8>(nearLengths + symbol));
      continue;
    }
    const code = lengthCode(length);
    const distance: i32 = (symbol & 0xffff) + 1;
    const farCode = distanceCode(distance);
    let bits: u64 = load<u16>(nearCodes + ((257 + code) << 1));
    let count: u64 = load<u8>(nearLengths + 257 + code);
    bits |= u64(length - lengthBase(code)) << count;
    count += lengthExtra(code);
    bits |= u64(load<u16>(farCodes + (farCode << 1))) << count;
    count += load<u8>(farLengths + farCode);
    bits |= u64(distance - distanceBase(farCode)) << count;
    putBits(bits, count + distanceExtra(farCode));
  }
  putBits(load<u16>(nearCodes + (END_OF_BLOCK << 1)), load<u8>(nearLengths + END_OF_BLOCK));
}

/** RFC 1951 3.2.7: prepares the compact form of the two codes; gives its bits. */
function describeCodes(): i32 {
  runCount = 0;
  memory.fill(precode.frequencies, 0, PRECODE_CODES * 4);
  addRuns(literals);
  addRuns(distances);
  buildCode(precode, PRECODE_CODES, MAX_PRECODE_BITS);
  let total = 5 + 5 + 4 + 3 * sentPrecodeLengths();
  for (let symbol = 0; symbol < PRECODE_CODES; symbol++)
    total += load<u32>(precode.frequencies + (symbol << 2)) * (load<u8>(precode.lengths + symbol) + runExtra(symbol));
  return total;
}

function writeHeader(): void {
  const sent = sentPrecodeLengths();
  putBits(literals.maxSymbol + 1 - 257, 5);
  putBits(distances.maxSymbol + 1 - 1, 5);
  putBits(sent - 4, 4);
  for (let i = 0; i < sent; i++) putBits(load<u8>(precode.lengths + precodeOrder(i)), 3);
  for (let i = 0; i < runCount; i++) {
    const run: i32 = load<u16>(runs + (i << 1));
    const symbol = run >> 8;
    putBits(load<u16>(precode.codes + (symbol << 1)), load<u8>(precode.lengths + symbol));
    putBits(run & 0xff, runExtra(symbol));
  }
}

function sentPrecodeLengths(): i32 {
  let sent = PRECODE_CODES;
  while (sent > 4 && load<u8>(precode.lengths + precodeOrder(sent - 1)) == 0) sent--;
  return sent;
}

/** Extra bits of run symbols: 16 repeats 3 to 6 times, 17 stands for 3 to 10 zeros, 18 for 11 to 138. */
// @ts-ignore: decorator
@inline function runExtra(symbol: i32): i32 {
  return symbol < 16 ? 0 : symbol == 16 ? 2 : symbol == 17 ? 3 : 7;
}

function addRuns(code: Code): void {
  let previous = -1;
  for (let i = 0; i <= code.maxSymbol; ) {
    const length: i32 = load<u8>(code.lengths + i);
    const most = length == 0 ? 138 : length == previous ? 6 : 7;
    let n = 1;
    while (n < most && i + n <= code.maxSymbol && load<u8>(code.lengths + i + n) == length) n++;
    i += n;
    if (length != 0 && length != previous) {
      addRun(length, 0);
      n--;
    }
    if (n < 3) while (n-- > 0) addRun(length, 0);
    else if (length != 0) addRun(16, n - 3);
    else if (n <= 10) addRun(17, n - 3);
    else addRun(18, n - 11);
    previous = length;
  }
}

// @ts-ignore: decorator
@inline function addRun(symbol: i32, extra: i32): void {
  store<u16>(runs + (runCount++ << 1), (symbol << 8) | extra);
  tally(precode.frequencies, symbol);
}
