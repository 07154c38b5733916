// Length-limited Huffman codes (RFC 1951 3.2.2). Ties go by frequency, then depth of the subtree, then heap order.

/** Room for the largest alphabet, 288 symbols, in each table. */
const SYMBOLS: i32 = 288;
const MAX_BITS: i32 = 15;

// Nodes are symbols below SYMBOLS and inner nodes from there on.
const frequency = memory.data(SYMBOLS * 2 * 4, 4);
const parent = memory.data(SYMBOLS * 2 * 2, 2);
const depth = memory.data(SYMBOLS * 2);
const bits = memory.data(SYMBOLS * 2);
const heap = memory.data((SYMBOLS + 2) * 2, 2);
const order = memory.data(SYMBOLS * 2 * 2, 2);
const counts = memory.data((MAX_BITS + 2) * 4, 4);
let heapLength: i32 = 0;
let orderLength: i32 = 0;

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
  fillHeap(code, symbols);
  combine();
  settleLengths(maxBits);
  memory.copy(code.lengths, bits, symbols);
  assignCodes(code);
}

/** RFC 1951 3.2.2, steps 1 to 3: codes from lengths alone. */
export function assignCodes(code: Code): void {
  memory.fill(counts, 0, (MAX_BITS + 2) * 4);
  for (let symbol = 0; symbol <= code.maxSymbol; symbol++) bump(load<u8>(code.lengths + symbol), 1);
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
    store<u16>(code.codes + (symbol << 1), reversed(load<i32>(counts + (length << 2)), length));
    bump(length, 1);
  }
}

function reversed(code: i32, length: i32): i32 {
  let result = 0;
  for (let i = 0; i < length; i++, code >>= 1) result = (result << 1) | (code & 1);
  return result;
}

// @ts-ignore: decorator
@inline function bump(length: i32, by: i32): void {
  store<i32>(counts + (length << 2), load<i32>(counts + (length << 2)) + by);
}

function fillHeap(code: Code, symbols: i32): void {
  memory.fill(depth, 0, SYMBOLS * 2);
  memory.fill(bits, 0, SYMBOLS * 2);
  heapLength = 0;
  let max = -1;
  for (let symbol = 0; symbol < symbols; symbol++) {
    const n = load<u32>(code.frequencies + (symbol << 2));
    store<u32>(frequency + (symbol << 2), n);
    if (n > 0) store<u16>(heap + (++heapLength << 1), (max = symbol));
  }
  while (heapLength < 2) {
    const forced = max < 2 ? ++max : 0;
    store<u16>(heap + (++heapLength << 1), forced);
    store<u32>(frequency + (forced << 2), 1);
  }
  code.maxSymbol = max;
  for (let i = heapLength >> 1; i >= 1; i--) sink(i);
}

// @ts-ignore: decorator
@inline function heapAt(index: i32): i32 {
  return load<u16>(heap + (index << 1));
}

// @ts-ignore: decorator
@inline function less(a: i32, b: i32): bool {
  const fa = load<u32>(frequency + (a << 2));
  const fb = load<u32>(frequency + (b << 2));
  return fa < fb || (fa == fb && load<u8>(depth + a) <= load<u8>(depth + b));
}

function sink(start: i32): void {
  const moved = heapAt(start);
  let hole = start;
  for (let child = hole << 1; child <= heapLength; child = hole << 1) {
    if (child < heapLength && less(heapAt(child + 1), heapAt(child))) child++;
    if (less(moved, heapAt(child))) break;
    store<u16>(heap + (hole << 1), heapAt(child));
    hole = child;
  }
  store<u16>(heap + (hole << 1), moved);
}

/** Joins the two rarest nodes until one is left; `order` gets all nodes, rarest first and the root last. */
function combine(): void {
  let node = SYMBOLS;
  orderLength = 0;
  do {
    const least = heapAt(1);
    store<u16>(heap + 2, heapAt(heapLength--));
    sink(1);
    const second = heapAt(1);
    pushOrder(least);
    pushOrder(second);
    store<u32>(frequency + (node << 2), load<u32>(frequency + (least << 2)) + load<u32>(frequency + (second << 2)));
    store<u8>(depth + node, max<u8>(load<u8>(depth + least), load<u8>(depth + second)) + 1);
    store<u16>(parent + (least << 1), node);
    store<u16>(parent + (second << 1), node);
    store<u16>(heap + 2, node++);
    sink(1);
  } while (heapLength >= 2);
  pushOrder(heapAt(1));
}

// @ts-ignore: decorator
@inline function pushOrder(node: i32): void {
  store<u16>(order + (orderLength++ << 1), node);
}

/** Depth of each node, pressed under `maxBits` by moving leaves up and down. */
function settleLengths(maxBits: i32): void {
  memory.fill(counts, 0, (MAX_BITS + 2) * 4);
  let overflow = 0;
  for (let i = orderLength - 2; i >= 0; i--) {
    const node: i32 = load<u16>(order + (i << 1));
    let length: i32 = load<u8>(bits + load<u16>(parent + (node << 1))) + 1;
    if (length > maxBits) {
      length = maxBits;
      overflow++;
    }
    store<u8>(bits + node, length);
    if (node < SYMBOLS) bump(length, 1);
  }
  if (overflow > 0) press(overflow, maxBits);
}

function press(overflow: i32, maxBits: i32): void {
  for (; overflow > 0; overflow -= 2) {
    let level = maxBits - 1;
    while (load<i32>(counts + (level << 2)) == 0) level--;
    bump(level, -1);
    bump(level + 1, 2);
    bump(maxBits, -1);
  }
  // The rarest leaves take the longest codes.
  let next = 0;
  for (let level = maxBits; level > 0; level--) {
    for (let n = load<i32>(counts + (level << 2)); n > 0; ) {
      const node: i32 = load<u16>(order + (next++ << 1));
      if (node >= SYMBOLS) continue;
      store<u8>(bits + node, level);
      n--;
    }
  }
}
