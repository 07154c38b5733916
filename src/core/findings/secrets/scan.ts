/** Looks through bytes for secrets. Letters are bytes (latin1), so that programs are looked through as texts are. */
import { scryptSync } from 'node:crypto';
import { AnchorFinder } from './anchors';
import type { Detector } from './detector';
import { DETECTORS } from './detectors';

/** Where a secret stands. Its value is never part of it. */
export interface Hit {
  readonly detector: Detector;
  /** Offset in the bytes. */
  readonly at: number;
  /** Counted from 1; 0 where it is no text. */
  readonly line: number;
  /** What tells it from others and not what it is, so that it can be accepted. */
  readonly fingerprint: string;
}

const PIECE_BYTES = 1024 * 1024;
/** The longest that a match may be behind and before its anchor: pieces overlap by both. */
const OVERLAP = 24 * 1024;
const MOST_HITS = 100;
/** Places that may be looked at more closely in one piece: what looks like keys all over is looked at so often, no more. */
const MOST_LOOKS = 20_000;
const DEFAULT_REACH = [128, 1024] as const;

const anchors = [...new Set(DETECTORS.flatMap((one) => one.anchors))];
const byAnchor = anchors.map((anchor) => DETECTORS.filter((one) => one.anchors.includes(anchor)));
const finder = new AnchorFinder(anchors);

/** All that is found in a file. */
export function scanBytes(bytes: Uint8Array): Hit[] {
  const whole = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  // Most of a program, and all of what is packed, is no text.
  const buffer = isText(whole) ? whole : textsIn(whole);
  const hits: (Hit & { readonly end: number })[] = [];
  let lines = 1;
  for (let from = 0; from < buffer.length && hits.length < MOST_HITS; from += PIECE_BYTES) {
    const start = Math.max(0, from - OVERLAP);
    const piece = buffer.subarray(start, from + PIECE_BYTES + OVERLAP);
    const bounds = { first: from - start, behind: from - start + PIECE_BYTES };
    for (const { detector, secret, at: inText } of foundIn(piece, bounds)) {
      const at = start + inText;
      const end = at + secret.length;
      // Whoever saw it first told it most exactly.
      if (hits.length >= MOST_HITS || hits.some((one) => at < one.end && one.at < end)) continue;
      const line = lines + countLines(piece, bounds.first, inText);
      hits.push({ detector, at, end, line, fingerprint: fingerprintOf(detector, secret) });
    }
    lines += countLines(piece, bounds.first, Math.min(piece.length, bounds.behind));
  }
  return hits
    .sort((a, b) => a.at - b.at)
    .map(({ end: _end, ...hit }) => (buffer === whole ? hit : { ...hit, line: 0 }));
}

interface Found {
  readonly detector: Detector;
  readonly secret: string;
  /** Of the secret, in the text. */
  readonly at: number;
}

const ORDER = new Map(DETECTORS.map((one, i) => [one, i]));

/**
 * What is found, what is told most exactly first.
 * @param bounds where anchors count; what is around it only belongs to matches
 */
function foundIn(piece: Buffer, bounds: { readonly first: number; readonly behind: number }): Found[] {
  const found: Found[] = [];
  const looked = new Map<Detector, number>();
  let looks = 0;
  // Letters only where an anchor stands somewhere: in most of what is packed none does.
  let text: string | undefined;
  finder.find(piece, bounds.first, bounds.behind, ({ which, at }) => {
    text ??= piece.toString('latin1');
    for (const detector of byAnchor[which] ?? []) {
      // What was looked at for an anchor before needs no second look.
      if ((looked.get(detector) ?? -1) > at) continue;
      const end = lookAround(text, at, detector, found);
      if (end !== undefined) looked.set(detector, end);
    }
    return (looks += 1) <= MOST_LOOKS;
  });
  return found.sort((a, b) => (ORDER.get(a.detector) ?? 0) - (ORDER.get(b.detector) ?? 0));
}

/** @returns where the last match ends; undefined where there is none */
function lookAround(text: string, index: number, detector: Detector, found: Found[]): number | undefined {
  const { pattern, isAtAnchor, isLikely, reach = DEFAULT_REACH } = detector;
  if (isAtAnchor === true) {
    pattern.lastIndex = index;
    const match = pattern.exec(text);
    return match === null ? undefined : take(detector, match, 0, found);
  }
  if (isLikely?.(text, index) === false) return undefined;
  const start = Math.max(0, index - reach[0]);
  let end: number | undefined;
  for (const match of text.slice(start, index + reach[1]).matchAll(pattern)) end = take(detector, match, start, found);
  return end;
}

/** @param start where the text that was matched begins @returns where the match ends */
function take(detector: Detector, match: RegExpExecArray, start: number, found: Found[]): number {
  const secret = match.groups?.secret ?? match[0];
  const from = start + match.index;
  if (detector.isOne?.(secret, match) ?? true)
    found.push({ detector, secret, at: from + match[0].lastIndexOf(secret) });
  return from + match[0].length;
}

function countLines(bytes: Buffer, from: number, to: number): number {
  let count = 0;
  for (let i = bytes.indexOf(0x0a, from); i >= 0 && i < to; i = bytes.indexOf(0x0a, i + 1)) count += 1;
  return count;
}

/** Runs of letters that are long enough to hold something, a line each. */
function textsIn(bytes: Buffer): Buffer {
  // What ends a run makes room for the end of its line.
  const texts = Buffer.allocUnsafe(bytes.length + 1);
  let length = 0;
  let from = 0;
  for (let at = 0; at <= bytes.length; at++) {
    if (at < bytes.length && IS_LETTER[bytes[at] ?? 0] === 1) continue;
    if (at - from >= LEAST_LETTERS) {
      length += bytes.copy(texts, length, from, at);
      texts[length++] = NEW_LINE;
    }
    from = at + 1;
  }
  return texts.subarray(0, length);
}

const LEAST_LETTERS = 12;
const NEW_LINE = 0x0a;
/** ASCII that can be seen, and what ends or sets off lines. */
const IS_LETTER = Uint8Array.from({ length: 256 }, (_, byte) =>
  Number((byte >= 0x20 && byte < 0x7f) || byte === NEW_LINE || byte === 0x0d || byte === 0x09),
);

/** Texts have no zero bytes. */
function isText(bytes: Buffer): boolean {
  return bytes.subarray(0, 8192).indexOf(0) < 0;
}

/** Slow to make, so that a short password cannot be found by trying: the fingerprint is shown, and written into sheets. */
function fingerprintOf({ id }: Detector, secret: string): string {
  return scryptSync(secret, `emballage ${id}`, 8, { N: 4096, r: 8, p: 1 }).toString('hex');
}
