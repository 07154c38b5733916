/**
 * What a kind of secret looks like, as data. Text is looked through for the anchors of all kinds at once, and only around
 * them for the pattern of a kind; what has a structure or a checksum is held to it, so that little else is taken for one.
 */

import { jsonOf } from '../../base/json';

export interface Detector {
  /** `private-key`. */
  readonly id: string;
  /** `a private key`. */
  readonly title: string;
  /** Texts, in small letters, of which one stands in every match, or right before it. */
  readonly anchors: readonly string[];
  /** The group `secret` is what must not be told; all of the match otherwise. */
  readonly pattern: RegExp;
  /** A match begins where the anchor does: the pattern, which has the flag `y`, is tried there and nowhere else. */
  readonly isAtAnchor?: true;
  /** Whether it is worth a closer look, where the anchor stands in much else. */
  readonly isLikely?: (text: string, index: number) => boolean;
  /** Letters before and behind an anchor that a match may take up. */
  readonly reach?: readonly [before: number, behind: number];
  /** Whether it is one, where the pattern alone does not tell. */
  readonly isOne?: (secret: string, match: RegExpExecArray) => boolean;
  /** Made-up examples, each a text in which it is found; made by tests, so that none lies in the code. */
  readonly examples: () => readonly string[];
}

/** Bits a letter, by how often each letter stands in it. */
export function entropy(text: string): number {
  const counts = new Map<string, number>();
  for (const letter of text) counts.set(letter, (counts.get(letter) ?? 0) + 1);
  let bits = 0;
  for (const count of counts.values()) bits -= (count / text.length) * Math.log2(count / text.length);
  return bits;
}

const PLACEHOLDER =
  /^(?:x+|\*+|\.+|-+|_+|0+|1+)$|^(?:your|my|the|some|a|an)[-_ ]|example|sample|placeholder|change[-_ ]?me|replace|redacted|dummy|fake|foo\b|bar\b|lorem|test(?:ing)?$|^(?:test|secret|token|password|passwd|pass|pwd|user|admin|root|hunter2|letmein|qwerty|none|null|undefined|true|false|string|value|key|default|todo)\d*$|^\$|[<>{}]|%[sd]|\$\{|\.\.\.|^process\.|^os\.|^env[.(]|getenv|^(?:abc|123)[a-z0-9]{0,9}$|^(?:key|id)[-_]?\d{1,6}$/i;

/** Whether a text only stands where a secret would: an example, a variable, a word. */
export function isPlaceholder(text: string): boolean {
  if (PLACEHOLDER.test(text)) return true;
  const different = new Set(text).size;
  return different < Math.min(5, text.length);
}

/** Whether a text looks drawn, not written: letters and digits as chance has them. */
export function looksRandom(text: string): boolean {
  if (text.length < 12 || isPlaceholder(text)) return false;
  const kinds = [/[a-z]/, /[A-Z]/, /\d/].filter((kind) => kind.test(text)).length;
  const isHex = /^[0-9a-f]+$/i.test(text);
  if (isHex) return text.length >= 24 && entropy(text) >= 3;
  if (kinds < 2 || !/\d/.test(text)) return false;
  return entropy(text) >= Math.min(4.2, Math.log2(text.length) * 0.82);
}

const WRITTEN: readonly RegExp[] = [
  // Addresses, paths, calls.
  /^(?:https?:|[./~@]|[\w-]+\/[\w./-]+$)/,
  /[()[\]]/,
  /^[a-z]+(?::[\w./-]*){3,}$/i,
  // Names of code and of settings, in every way of writing them; versions and dates.
  /^(?:[A-Z]{0,4}[a-z]{2,}|[A-Z]+\d*|\d{1,2})+$/,
  /^[A-Z][A-Z0-9_]+$/,
  /^[a-z]+\d+$/,
  /^[\w-]+(?:\.[a-zA-Z_]\w*)+$/,
  /^[a-z]+(?:[-_][a-z0-9]{1,12})+$/i,
  /^\d{4}-\d\d-\d\d/,
  /^sha(?:1|256|384|512)[-:]/,
];

/** Whether somebody wrote it: names, calls and paths of code have letters as chance has them, too. */
export function isWritten(text: string): boolean {
  return isPlaceholder(text) || WRITTEN.some((one) => one.test(text));
}

const BASE62 = '0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz';

/** A number in base 62, with zeros before it. */
export function base62(value: number, length: number): string {
  let rest = value;
  let text = '';
  for (let i = 0; i < length; i++) {
    text = (BASE62[rest % 62] ?? '0') + text;
    rest = Math.floor(rest / 62);
  }
  return text;
}

/** Bytes of base64 in either alphabet; undefined for what is none. */
export function fromBase64(text: string): Buffer | undefined {
  const plain = text.replace(/\s+/g, '').replaceAll('-', '+').replaceAll('_', '/').replace(/=+$/, '');
  if (!/^[A-Za-z0-9+/]+$/.test(plain) || plain.length % 4 === 1) return undefined;
  return Buffer.from(plain, 'base64');
}

/** The value of JSON in base64; undefined for what is none. */
export function jsonIn(base64: string): Readonly<Record<string, unknown>> | undefined {
  const value = jsonOf(fromBase64(base64)?.toString('utf8') ?? '');
  return typeof value === 'object' && value !== null ? (value as Record<string, unknown>) : undefined;
}

/** A made-up text for examples: the same every time, of letters as chance has them. */
export function madeUp(length: number, alphabet = BASE62, seed = 7): string {
  let state = seed * 2_654_435_761;
  let text = '';
  for (let i = 0; i < length; i++) {
    state = (Math.imul(state ^ (state >>> 15), 2_246_822_519) + i * 668_265_263) >>> 0;
    text += alphabet[(state >>> 8) % alphabet.length] ?? '';
  }
  return text;
}

export const HEX = '0123456789abcdef';
