/** Versions of Maven artifacts in their order, and ranges of them (the Maven POM reference, “Version Order Specification”). */

type Item = number | bigint | string | Item[];

/** Words before the release come before it, in this order; '' is the release itself; others come after `sp`. */
const WORDS = ['alpha', 'beta', 'milestone', 'rc', 'snapshot', '', 'sp'];
const ALIASES: ReadonlyMap<string, string> = new Map([
  ['ga', ''],
  ['final', ''],
  ['release', ''],
  ['cr', 'rc'],
]);
const SHORT: ReadonlyMap<string, string> = new Map([
  ['a', 'alpha'],
  ['b', 'beta'],
  ['m', 'milestone'],
]);
/** What stands behind so many letters decides nothing that anybody means. */
const LONGEST = 500;

/** Orders versions as Maven does (“Version Order Specification”). */
export function compareVersions(a: string, b: string): number {
  return compareItems(parse(a), parse(b));
}

/**
 * Numbers and words in lists: `-`, each change between digits and letters, and a word that comes last or before digits
 * begin a list inside the list.
 */
function parse(text: string): Item[] {
  const root: Item[] = [];
  let list = root;
  const lists = [root];
  const nest = (): void => {
    const inner: Item[] = [];
    list.push(inner);
    list = inner;
    lists.push(inner);
  };
  const tokens =
    text
      .slice(0, LONGEST)
      .toLowerCase()
      .match(/[0-9]+|[^0-9.-]+|[.-]/g) ?? [];
  tokens.forEach((token, i) => {
    const [before = '', next = ''] = [tokens[i - 1], tokens[i + 1]];
    if (isSeparator(token)) {
      // A separator with nothing before it stands behind a zero.
      if (before === '' || isSeparator(before)) list.push(0);
      if (token === '-') nest();
      return;
    }
    const isDigits = /^[0-9]/.test(token);
    const isChange = before !== '' && !isSeparator(before);
    const standsAlone = !isDigits && list.length > 0 && (next === '' || !isSeparator(next));
    if (isChange || standsAlone) nest();
    list.push(isDigits ? numberOf(token) : wordOf(token, /^[0-9]/.test(next)));
  });
  for (const one of lists.reverse()) trimNulls(one);
  return root;
}

function isSeparator(token: string): boolean {
  return token === '.' || token === '-';
}

function numberOf(digits: string): number | bigint {
  return digits.length > 15 ? BigInt(digits) : Number(digits);
}

function wordOf(word: string, isBeforeDigits: boolean): string {
  const full = isBeforeDigits ? (SHORT.get(word) ?? word) : word;
  return ALIASES.get(full) ?? full;
}

/** Zeros, releases and empty lists at the end say nothing; lists inside stay where they are. */
function trimNulls(list: Item[]): void {
  for (let i = list.length - 1; i >= 0; i--) {
    const item = list[i];
    if (item !== undefined && isNull(item)) list.splice(i, 1);
    else if (!Array.isArray(item)) break;
  }
}

function isNull(item: Item): boolean {
  return Array.isArray(item) ? item.length === 0 : typeof item === 'string' ? item === '' : Number(item) === 0;
}

function compareItems(a: Item, b: Item | undefined): number {
  if (typeof a === 'number' || typeof a === 'bigint') return compareNumber(a, b);
  if (typeof a === 'string') return compareWord(a, b);
  return compareList(a, b);
}

function compareNumber(a: number | bigint, b: Item | undefined): number {
  if (b === undefined) return Number(a) === 0 ? 0 : 1;
  if (typeof b === 'number' || typeof b === 'bigint') return a < b ? -1 : a > b ? 1 : 0;
  // 1.1 comes after 1-sp and after 1-1.
  return 1;
}

function compareWord(a: string, b: Item | undefined): number {
  if (b === undefined) return order(rank(a), rank(''));
  if (typeof b === 'string') return order(rank(a), rank(b));
  return -1;
}

function compareList(a: readonly Item[], b: Item | undefined): number {
  if (b === undefined) {
    for (const item of a) {
      const result = compareItems(item, undefined);
      if (result !== 0) return result;
    }
    return 0;
  }
  if (typeof b === 'number' || typeof b === 'bigint') return -1;
  if (typeof b === 'string') return 1;
  for (let i = 0; i < Math.max(a.length, b.length); i++) {
    const [left, right] = [a[i], b[i]];
    const result =
      left === undefined ? (right === undefined ? 0 : -compareItems(right, undefined)) : compareItems(left, right);
    if (result !== 0) return result;
  }
  return 0;
}

/** Known words by their place, unknown ones behind all of them by their letters. */
function rank(word: string): string {
  const at = WORDS.indexOf(word);
  return at < 0 ? `${String(WORDS.length)}-${word}` : String(at);
}

function order(a: string, b: string): number {
  return a < b ? -1 : a > b ? 1 : 0;
}

/** One stretch of a range; a bound that is undefined is open. */
interface Stretch {
  readonly low: string | undefined;
  readonly withLow: boolean;
  readonly high: string | undefined;
  readonly withHigh: boolean;
}

/** A version as a dependency asks for it. A plain one is only a wish, which a nearer one overrides. */
export type VersionWish =
  | { readonly kind: 'plain'; readonly version: string }
  | { readonly kind: 'range'; readonly text: string; readonly allows: (version: string) => boolean };

/** @returns undefined for what is no range that could be meant */
export function parseWish(text: string): VersionWish | undefined {
  const plain = text.trim();
  if (!/[[\](),]/.test(plain)) return plain === '' ? undefined : { kind: 'plain', version: plain };
  const stretches: Stretch[] = [];
  for (let rest = plain; rest !== '';) {
    const [whole, open = '', inside = '', close = ''] = /^([[(])([^[\]()]*)([\])])\s*,?\s*/.exec(rest) ?? [];
    const stretch = whole === undefined ? undefined : readStretch(open === '[', inside, close === ']');
    if (whole === undefined || stretch === undefined) return undefined;
    stretches.push(stretch);
    rest = rest.slice(whole.length);
  }
  return { kind: 'range', text: plain, allows: (version) => stretches.some((one) => isIn(version, one)) };
}

/** One version alone stands in square brackets. */
function readStretch(withLow: boolean, inside: string, withHigh: boolean): Stretch | undefined {
  const [first = '', second] = inside.split(',').map((one) => one.trim());
  const low = first === '' ? undefined : first;
  const high = second === undefined ? low : second === '' ? undefined : second;
  if (second === undefined && (low === undefined || !withLow || !withHigh)) return undefined;
  if (low !== undefined && high !== undefined && compareVersions(low, high) > 0) return undefined;
  return { low, withLow, high, withHigh };
}

function isIn(version: string, { low, withLow, high, withHigh }: Stretch): boolean {
  const below = low === undefined ? 1 : compareVersions(version, low);
  const above = high === undefined ? -1 : compareVersions(version, high);
  return (below > 0 || (withLow && below === 0)) && (above < 0 || (withHigh && above === 0));
}
