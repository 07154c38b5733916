import { createHash } from 'node:crypto';
import { inflateRawSync } from 'node:zlib';
import { farRepeats, noise, numbers, words } from '../../../../test/support/data';
import { deflateSegment, DICTIONARY_BYTES, SEGMENT_BYTES } from './deflate';

const NONE = new Uint8Array(0);
const sha256 = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex').slice(0, 16);

/** Known inputs and what they deflate to. A change here changes every artifact: DEFLATE_ENCODER needs a new name. */
const VECTORS: readonly [name: string, dictionary: Uint8Array, segment: Uint8Array, last: boolean, sha256: string][] = [
  ['nothing', NONE, NONE, true, '9b4fb24edd6d1d88'],
  ['nothing, going on', NONE, NONE, false, 'eb6ab504da0b4384'],
  ['one byte after a dictionary', words(1, 500), Uint8Array.of(97), false, '8cb66c8cd094aa29'],
  ['noise', NONE, noise(2, 40_000), true, '01b48804c2d55757'],
  ['noise that goes on', noise(2, 20_000), noise(10, 40_000), false, '27a7e57b8ac0609a'],
  ['noise that repeats its dictionary', noise(2, 20_000), noise(2, 20_000), true, '357b0b94c607c0e2'],
  ['four symbols', NONE, noise(3, 70_000, 4), true, 'd7beead68b5f3220'],
  ['one symbol', NONE, Buffer.alloc(150_000, 7), false, 'a911cf7d061c67d8'],
  ['words', NONE, words(4, 120_000), true, 'b39f12651f3549a9'],
  ['words after a full dictionary', words(5, DICTIONARY_BYTES), words(5, 80_000), false, 'a695ff52b9c24306'],
  ['far repeats', NONE, farRepeats(6), true, '221724b69a8671bb'],
];

/** Bytes 0, 1, 2 …, as often as the numbers of Fibonacci. */
function fibonacci(kinds: number): Buffer {
  const parts: Buffer[] = [];
  for (let kind = 0, [now, next] = [1, 1]; kind < kinds; kind++, [now, next] = [next, now + next])
    parts.push(Buffer.alloc(now, kind));
  return Buffer.concat(parts);
}

/** In an order in which little repeats. */
function mixed(bytes: Buffer): Buffer {
  const next = numbers(bytes.length);
  for (let i = bytes.length - 1; i > 0; i--) {
    const j = next(i + 1);
    [bytes[i], bytes[j]] = [bytes[j] ?? 0, bytes[i] ?? 0];
  }
  return bytes;
}

describe('the deflate encoder', () => {
  it.each(VECTORS)('gives the pinned bytes for %s', (_name, dictionary, segment, last, expected) => {
    expect(sha256(deflateSegment(segment, dictionary, last))).toBe(expected);
  });

  it.each(VECTORS)('makes what another decoder reads back: %s', (_name, dictionary, segment, last) => {
    const end = last ? NONE : deflateSegment(NONE, NONE, true);
    const bytes = Buffer.concat([deflateSegment(segment, dictionary, last), end]);
    const options = dictionary.length > 0 ? { dictionary } : {};
    expect(inflateRawSync(bytes, options).equals(segment)).toBe(true);
  });

  it('makes one stream of segments that each know what came before', () => {
    const whole = words(7, SEGMENT_BYTES + 300_000);
    const [first, second] = [whole.subarray(0, SEGMENT_BYTES), whole.subarray(SEGMENT_BYTES)];
    const parts = [deflateSegment(first, NONE, false), deflateSegment(second, first.subarray(-DICTIONARY_BYTES), true)];
    expect(inflateRawSync(Buffer.concat(parts)).equals(whole)).toBe(true);
  });

  it('does not depend on what it deflated before', () => {
    const before = deflateSegment(words(8, 50_000), NONE, true);
    for (let seed = 20; seed < 30; seed++) deflateSegment(noise(seed, 30_000, 3 + seed), NONE, true);
    expect(Buffer.compare(deflateSegment(words(8, 50_000), NONE, true), before)).toBe(0);
  });

  it('reads back for random mixtures', () => {
    for (let seed = 1; seed <= 60; seed++) {
      const next = numbers(seed);
      const parts = Array.from(
        { length: 1 + next(6) },
        () => [noise, words][next(2)]?.(next(1e6), next(9000), 1 + next(256)) ?? NONE,
      );
      const data = Buffer.concat([...parts, ...parts.slice(0, next(3))]);
      const back = inflateRawSync(deflateSegment(data, NONE, true));
      expect([seed, back.equals(data)]).toEqual([seed, true]);
    }
  });

  it('keeps codes as short as the format wants them where frequencies fall off steeply', () => {
    // Each byte as often as the two before together: the best code without a limit is as deep as there are kinds.
    for (let kinds = 2; kinds <= 24; kinds++) {
      const data = mixed(fibonacci(kinds));
      expect([kinds, inflateRawSync(deflateSegment(data, NONE, true)).equals(data)]).toEqual([kinds, true]);
    }
  });

  it('stores short noise, and deflates short text', () => {
    expect(deflateSegment(noise(13, 600), NONE, true).length).toBe(600 + 5);
    expect(deflateSegment(words(13, 600), NONE, true).length).toBeLessThan(450);
  });

  it('costs hardly more than the data where nothing can be saved', () => {
    expect(deflateSegment(noise(9, SEGMENT_BYTES), NONE, true).length).toBeLessThan(
      SEGMENT_BYTES + SEGMENT_BYTES / 256,
    );
  });

  it('finds what repeats in noise, wherever it stands', () => {
    const once = noise(11, 20_000);
    const moved = Buffer.concat([once, noise(12, 4001), once]);
    expect(deflateSegment(moved, NONE, true).length).toBeLessThan(25_500);
  });

  it('refuses a segment that is too long', () => {
    expect(() => deflateSegment(new Uint8Array(SEGMENT_BYTES + 1), NONE, true)).toThrow(RangeError);
  });
});
