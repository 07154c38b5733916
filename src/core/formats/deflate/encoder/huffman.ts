// Length-limited Huffman codes (RFC 1951 3.2.2). Symbols are sorted by frequency, then number; two queues, of leaves and of
// inner nodes, then give the two rarest in turn, leaves first where both are as rare, which keeps the tree low.

/** Room for the largest alphabet, 288 symbols, in each table. */
const SYMBOLS: i32 = 288;
const MAX_BITS: i32 = 15;
/** A sort key is a frequency and a symbol; frequencies are below 2 ^ 16, as no block has more symbols than that. */
const SYMBOL_BITS: i32 = 9;
const SYMBOL_MASK: u32 = (1 << SYMBOL_BITS) - 1;
/** So many keys are sorted by insertion; more of them by counting, eight bits at a time. */
const FEW: i32 = 24;

const sorted = memory.data(SYMBOLS * 4, 4);
const spare = memory.data(SYMBOLS * 4, 4);
const places = memory.data(256 * 4, 4);
/** Inner nodes in the order in which they are made: frequency, then, once the tree is there, depth. */
const inner = memory.data(SYMBOLS * 4, 4);
/** The inner node above each inner node, and how many leaves hang directly below each. */
const parent = memory.data(SYMBOLS * 2, 2);
const leaves = memory.data(SYMBOLS);
const counts = memory.data((MAX_BITS + 2) * 4, 4);
const reversedBytes = memory.data(256);
fillReversed();

/** One code: frequencies in (u32), lengths (u8) and reversed codes (u16) out. */
export class Code {
  frequencies: usize;
  lengths: usize;
  codes: usize;
  /** The highest symbol that has a code. */
  maxSymbol: i32 = 0;

  constructor(frequencies: usize, lengths: usize, codes: usize) {
    this.frequencies = frequencies;
    this.lengths = lengths;
    this.codes = codes;
  }
}

/** Finds lengths and codes. At least two symbols always get one, so that no decoder meets a code of one symbol. */
export function buildCode(code: Code, symbols: i32, maxBits: i32): void {
  const used = collect(code, symbols);
  sort(used);
  countLengths(used, maxBits);
  memory.fill(code.lengths, 0, symbols);
  // The rarest leaves take the longest codes.
  let next = sorted;
  for (let length = maxBits; length > 0; length--)
    for (let n = load<i32>(counts + (length << 2)); n > 0; n--, next += 4)
      store<u8>(code.lengths + (load<u32>(next) & SYMBOL_MASK), length);
  nameCodes(code);
}

/** RFC 1951 3.2.2, steps 1 to 3: codes from lengths alone. */
export function assignCodes(code: Code): void {
  memory.fill(counts, 0, (MAX_BITS + 2) * 4);
  for (let symbol = 0; symbol <= code.maxSymbol; symbol++) bump(load<u8>(code.lengths + symbol), 1);
  nameCodes(code);
}

/** Steps 2 and 3, where it has been counted how many codes of each length there are. */
function nameCodes(code: Code): void {
  store<i32>(counts, 0);
  let next = 0;
  let above = 0;
  for (let length = 1; length <= MAX_BITS; length++) {
    next = (next + above) << 1;
    above = load<i32>(counts + (length << 2));
    store<i32>(counts + (length << 2), next);
  }
  for (let symbol = 0; symbol <= code.maxSymbol; symbol++) {
    const length: i32 = load<u8>(code.lengths + symbol);
    if (length == 0) continue;
    const slot = counts + (length << 2);
    const value = load<i32>(slot);
    store<i32>(slot, value + 1);
    const reversed = (<i32>load<u8>(reversedBytes + (value & 255)) << 8) | load<u8>(reversedBytes + (value >> 8));
    store<u16>(code.codes + (symbol << 1), reversed >> (16 - length));
  }
}

function fillReversed(): void {
  for (let i = 1; i < 256; i++)
    store<u8>(reversedBytes + i, (load<u8>(reversedBytes + (i >> 1)) >> 1) | ((i & 1) << 7));
}

// @ts-ignore: decorator
@inline function bump(length: i32, by: i32): void {
  store<i32>(counts + (length << 2), load<i32>(counts + (length << 2)) + by);
}

/** Puts a key for each symbol that occurs into `sorted`; gives how many there are. */
function collect(code: Code, symbols: i32): i32 {
  let used = 0;
  let max = -1;
  for (let symbol = 0; symbol < symbols; symbol++) {
    const frequency = load<u32>(code.frequencies + (symbol << 2));
    if (frequency > 0) store<u32>(sorted + (used++ << 2), (frequency << SYMBOL_BITS) | (max = symbol));
  }
  while (used < 2) {
    const forced = max < 2 ? ++max : 0;
    store<u32>(sorted + (used++ << 2), (1 << SYMBOL_BITS) | forced);
  }
  code.maxSymbol = max;
  return used;
}

function sort(n: i32): void {
  if (n <= FEW) {
    const end = sorted + (n << 2);
    for (let i = sorted + 4; i < end; i += 4) {
      const key = load<u32>(i);
      let at = i;
      for (; at > sorted && load<u32>(at - 4) > key; at -= 4) store<u32>(at, load<u32>(at - 4));
      store<u32>(at, key);
    }
    return;
  }
  sortBy(SYMBOL_BITS, sorted, spare, n);
  sortBy(SYMBOL_BITS + 8, spare, sorted, n);
}

/** Sorts by eight bits from `shift` on; what agrees in them keeps its order. */
function sortBy(shift: i32, from: usize, to: usize, n: i32): void {
  memory.fill(places, 0, 256 * 4);
  const end = from + (n << 2);
  for (let at = from; at < end; at += 4) {
    const slot = places + (((load<u32>(at) >> shift) & 255) << 2);
    store<i32>(slot, load<i32>(slot) + 1);
  }
  let place = 0;
  for (let i = 0; place < n; i++) {
    const slot = places + (i << 2);
    const here = load<i32>(slot);
    store<i32>(slot, place);
    place += here;
  }
  for (let at = from; at < end; at += 4) {
    const key = load<u32>(at);
    const slot = places + (((key >> shift) & 255) << 2);
    const target = load<i32>(slot);
    store<i32>(slot, target + 1);
    store<u32>(to + (target << 2), key);
  }
}

/** How many codes of each length the best code has, none longer than `maxBits`: into `counts`. */
function countLengths(used: i32, maxBits: i32): void {
  const made = combine(used);
  memory.fill(counts, 0, (MAX_BITS + 2) * 4);
  let fits = true;
  // From the root, which was made last: `inner` now gets depths.
  for (let node = made - 1; node >= 0; node--) {
    const depth: i32 = node == made - 1 ? 0 : load<i32>(inner + (<i32>load<u16>(parent + (node << 1)) << 2)) + 1;
    store<i32>(inner + (node << 2), depth);
    const below: i32 = load<u8>(leaves + node);
    if (depth + 1 > maxBits && below > 0) fits = false;
    bump(min(depth + 1, maxBits), below);
  }
  if (!fits) press(maxBits);
}

/** Joins the two rarest nodes until one is left; gives how many inner nodes that makes. */
function combine(used: i32): i32 {
  let leaf = sorted;
  const end = sorted + (used << 2);
  let first = 0;
  const made = used - 1;
  for (let node = 0; node < made; node++) {
    let sum: u32 = 0;
    let below = 0;
    for (let k = 0; k < 2; k++) {
      if (leaf < end && (first >= node || load<u32>(leaf) >> SYMBOL_BITS <= load<u32>(inner + (first << 2)))) {
        sum += load<u32>(leaf) >> SYMBOL_BITS;
        leaf += 4;
        below++;
      } else {
        sum += load<u32>(inner + (first << 2));
        store<u16>(parent + (first << 1), node);
        first++;
      }
    }
    store<u32>(inner + (node << 2), sum);
    store<u8>(leaves + node, below);
  }
  return made;
}

/** Makes a code of lengths that were cut at `maxBits` complete again: leaves from above go down until the codes fit. */
function press(maxBits: i32): void {
  let sum = 0;
  for (let length = 1; length <= maxBits; length++) sum += load<i32>(counts + (length << 2)) << (maxBits - length);
  for (let excess = sum - (1 << maxBits); excess > 0; excess--) {
    let level = maxBits - 1;
    while (load<i32>(counts + (level << 2)) == 0) level--;
    bump(level, -1);
    bump(level + 1, 2);
    bump(maxBits, -1);
  }
}
