// Changes an input a little: bits, bytes, numbers that are on the edge, stretches that are doubled, cut out or taken from another.

const EDGES = [0, 1, 0x7f, 0x80, 0xff, 0x7fff, 0xffff, 0x7fffffff, 0x80000000, 0xffffffff];
const WORDS = [
  'constructor',
  '__proto__',
  '../',
  '\0',
  '%',
  '"',
  "'",
  '{',
  '[',
  '(',
  '<',
  '&',
  '*',
  '$',
  ',',
  ';',
  '\n',
  ' ',
  '-1',
  '1e999',
  '\\',
  '\ud800',
  'null',
];

export function mutate(seed, seeds, next) {
  let bytes = Buffer.from(seed);
  for (let left = 1 + next(6); left > 0; left--) bytes = once(bytes, seeds, next);
  return bytes;
}

function once(bytes, seeds, next) {
  const at = next(bytes.length + 1);
  switch (next(10)) {
    case 8:
      return otherValue(bytes, next);
    case 0:
      if (bytes.length > 0) bytes[at % bytes.length] ^= 1 << next(8);
      return bytes;
    case 1:
      if (bytes.length > 0) bytes[at % bytes.length] = next(256);
      return bytes;
    case 2:
      return withNumber(bytes, at, next);
    case 3:
      return Buffer.concat([bytes.subarray(0, at), bytes.subarray(at + 1 + next(64))]);
    case 4:
      return bytes.subarray(0, at);
    case 5:
      return Buffer.concat([bytes.subarray(0, at), Buffer.from(WORDS[next(WORDS.length)]), bytes.subarray(at)]);
    case 6:
      return repeated(bytes, at, next);
    case 7: {
      const other = seeds[next(seeds.length)];
      const from = next(other.length + 1);
      return Buffer.concat([bytes.subarray(0, at), other.subarray(from, from + next(256)), bytes.subarray(at)]);
    }
    default:
      return repeatedWord(bytes, at, next);
  }
}

const VALUES = ['3', '[]', '{}', 'null', 'true', '"x"', '[1]', '[[]]', '{a=1}', '{"a":1}', '-1.5', '1979-05-27'];

/** A value of JSON, TOML or YAML becomes one of another kind. */
function otherValue(bytes, next) {
  const text = bytes.toString('latin1');
  const found = [...text.matchAll(/"[^"\n]*"|\[[^[\]\n]*\]|\{[^{}\n]*\}|\b(?:true|false|null|\d+)\b/g)];
  if (found.length === 0) return bytes;
  const { index, 0: old } = found[next(found.length)];
  const value = VALUES[next(VALUES.length)];
  return Buffer.from(text.slice(0, index) + value + text.slice(index + old.length), 'latin1');
}

function withNumber(bytes, at, next) {
  const width = [1, 2, 4, 8][next(4)];
  if (bytes.length < width) return bytes;
  const place = at % (bytes.length - width + 1);
  const value = BigInt(EDGES[next(EDGES.length)]);
  const number = Buffer.alloc(8);
  if (next(2) === 0) number.writeBigUInt64LE(value);
  else number.writeBigUInt64BE((value << BigInt(64 - width * 8 > 0 ? 64 - width * 8 : 0)) & 0xffffffffffffffffn);
  number.copy(bytes, place, 0, width);
  return bytes;
}

function repeated(bytes, at, next) {
  const stretch = bytes.subarray(at, at + 1 + next(32));
  const times = 1 + next(40);
  return Buffer.concat([bytes.subarray(0, at), ...Array.from({ length: times }, () => stretch), bytes.subarray(at)]);
}

/** What is harmless once may take for ever many times. */
function repeatedWord(bytes, at, next) {
  const word = Buffer.from(WORDS[next(WORDS.length)]);
  const times = next(20) === 0 ? 20_000 : next(200);
  return Buffer.concat([bytes.subarray(0, at), Buffer.alloc(word.length * times, word), bytes.subarray(at)]);
}
