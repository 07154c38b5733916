/** Small text helpers that several layers share. */
import { distance } from 'fastest-levenshtein';

/**
 * The valid word that is nearest to what was written, or undefined when none is near enough to be a slip of the pen.
 * Case and the kind of separator do not count: `leave_out` is near `leave-out`.
 */
export function nearestWord(written: string, valid: readonly string[]): string | undefined {
  const plain = (word: string): string => word.toLowerCase().replace(/[_\s]/g, '-');
  let best: string | undefined;
  let bestDistance = Infinity;
  // Letters in another order are one slip.
  const letters = (word: string): string => Array.from(plain(word)).sort().join('');
  for (const word of valid) {
    const changes = distance(plain(written), plain(word));
    const steps = changes > 1 && letters(word) === letters(written) ? 1 : changes;
    if (steps < bestDistance) [best, bestDistance] = [word, steps];
  }
  const allowed = Math.ceil(Math.max(written.length, best?.length ?? 0) / 3);
  return bestDistance <= allowed ? best : undefined;
}

/**
 * Makes a name from outside safe to print: control characters, line separators and direction marks become `\u{..}`.
 * `a\nb` is shown as `a\u{a}b`.
 */
export function printable(name: string): string {
  return name.replace(
    /[\u0000-\u001f\u007f-\u009f\u200e\u200f\u2028-\u202e\u2066-\u2069\ufeff]/g,
    (char) => `\\u{${char.charCodeAt(0).toString(16)}}`,
  );
}

/** A file, and the line where there are lines: `a.mjs:3`. @param line counted from 1; 0 for none */
export function placeIn(file: string, line: number): string {
  return line === 0 ? printable(file) : `${printable(file)}:${String(line)}`;
}

/** `1 file`, `2 files`, `1,204 files`. */
export function count(n: number, one: string, many = `${one}s`): string {
  return `${digitGroups(n)} ${n === 1 ? one : many}`;
}

/** A whole number with commas between thousands, the same in every locale. */
export function digitGroups(n: number): string {
  return String(n).replace(/\B(?=(\d{3})+(?!\d))/g, ',');
}

/** `a`, `a and b`, `a, b and c`. */
export function listed(words: readonly string[], last = 'and'): string {
  if (words.length < 2) return words.join('');
  return `${words.slice(0, -1).join(', ')} ${last} ${words[words.length - 1] ?? ''}`;
}

/** The first of many, and how many more there are, as the last of them. */
export function firstFew(words: readonly string[], most: number): readonly string[] {
  return words.length > most ? [...words.slice(0, most), `${String(words.length - most)} more`] : words;
}

/** A regular expression that fits just this text. */
export function literalPattern(text: string): string {
  return text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');
}

/** How deep brackets and braces are nested, texts in quotes left out; readers that call themselves bear only so much. */
export function nesting(text: string): number {
  let [depth, deepest] = [0, 0];
  for (const [part] of text.matchAll(/"(?:\\.|[^"\\])*"?|[[{(\])}]/gs)) {
    if (part.length > 1 || part === '"') continue;
    depth += '[{('.includes(part) ? 1 : -1;
    if (depth > deepest) deepest = depth;
  }
  return deepest;
}

/** Percent signs as they are meant in addresses; a text that has others stays as it is. */
export function percentDecoded(text: string): string {
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
}
