/** Looks through bytes for secrets. Letters are bytes (latin1), so that programs are looked through as texts are. */
import { scryptSync } from 'node:crypto';
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

const escape = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');
/** A longer anchor hides those that it begins with: it stands for them as well. */
const byAnchor = new Map(
  [...new Set(DETECTORS.flatMap(({ anchors }) => anchors))].map((anchor) => [
    anchor,
    DETECTORS.filter(({ anchors }) => anchors.some((one) => anchor.startsWith(one))),
  ]),
);
// The longest first, so that a longer one is not taken for one that begins like it.
const ANCHORS = new RegExp(
  [...byAnchor.keys()]
    .sort((a, b) => b.length - a.length)
    .map(escape)
    .join('|'),
  'gi',
);

/** All that is found in a file. */
export function scanBytes(bytes: Uint8Array): Hit[] {
  const whole = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  // Most of a program, and all of what is packed, is no text.
  const buffer = isText(whole) ? whole : textsIn(whole);
  const hits: (Hit & { readonly end: number })[] = [];
  let lines = 1;
  for (let from = 0; from < buffer.length && hits.length < MOST_HITS; from += PIECE_BYTES) {
    const start = Math.max(0, from - OVERLAP);
    const text = buffer.toString('latin1', start, Math.min(buffer.length, from + PIECE_BYTES + OVERLAP));
    const piece = { first: from - start, behind: from - start + PIECE_BYTES };
    for (const { detector, secret, at: inText } of foundIn(text, piece)) {
      const at = start + inText;
      const end = at + secret.length;
      // Whoever saw it first told it most exactly.
      if (hits.length >= MOST_HITS || hits.some((one) => at < one.end && one.at < end)) continue;
      const line = lines + countLines(text, piece.first, inText);
      hits.push({ detector, at, end, line, fingerprint: fingerprintOf(detector, secret) });
    }
    lines += countLines(text, piece.first, Math.min(text.length, piece.behind));
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
 * @param piece where anchors count; what is around it only belongs to matches
 */
function foundIn(text: string, piece: { readonly first: number; readonly behind: number }): Found[] {
  const found: Found[] = [];
  const looked = new Map<Detector, number>();
  let looks = 0;
  ANCHORS.lastIndex = piece.first;
  for (let anchor = ANCHORS.exec(text); anchor !== null; anchor = ANCHORS.exec(text)) {
    if (anchor.index >= piece.behind || (looks += 1) > MOST_LOOKS) break;
    for (const detector of byAnchor.get(anchor[0].toLowerCase()) ?? []) {
      // What was looked at for an anchor before needs no second look.
      if ((looked.get(detector) ?? -1) > anchor.index) continue;
      const end = lookAround(text, anchor.index, detector, found);
      if (end !== undefined) looked.set(detector, end);
    }
    // Anchors may overlap: the next is looked for one letter on.
    ANCHORS.lastIndex = anchor.index + 1;
  }
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

function countLines(text: string, from: number, to: number): number {
  let count = 0;
  for (let i = text.indexOf('\n', from); i >= 0 && i < to; i = text.indexOf('\n', i + 1)) count += 1;
  return count;
}

/** Runs of letters that are long enough to hold something, a line each. */
function textsIn(bytes: Buffer): Buffer {
  const texts: Buffer[] = [];
  let from = 0;
  for (let at = 0; at <= bytes.length; at++) {
    const byte = bytes[at] ?? 0;
    if ((byte >= 0x20 && byte < 0x7f) || byte === 0x0a || byte === 0x0d || byte === 0x09) continue;
    if (at - from >= LEAST_LETTERS) texts.push(bytes.subarray(from, at), NEW_LINE);
    from = at + 1;
  }
  return Buffer.concat(texts);
}

const LEAST_LETTERS = 12;
const NEW_LINE = Buffer.from('\n');

/** Texts have no zero bytes. */
function isText(bytes: Buffer): boolean {
  return bytes.subarray(0, 8192).indexOf(0) < 0;
}

/** Slow to make, so that a short password cannot be found by trying: the fingerprint is shown, and written into sheets. */
function fingerprintOf({ id }: Detector, secret: string): string {
  return scryptSync(secret, `emballage ${id}`, 8, { N: 4096, r: 8, p: 1 }).toString('hex');
}
