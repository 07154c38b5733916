/** Versions of packages and ranges of them ("Package versioning": Semantic Versioning 2.0.0, with a fourth number). */

export interface PackageVersion {
  readonly numbers: readonly [number, number, number, number];
  readonly labels: readonly string[];
  /** As it is compared and named in addresses: without build metadata, leading zeros and a fourth zero. */
  readonly text: string;
}

/** Longer texts are no version, and patterns take long over them. */
const LONGEST = 600;
const VERSION =
  /^(\d{1,10})(?:\.(\d{1,10}))?(?:\.(\d{1,10}))?(?:\.(\d{1,10}))?(?:-([0-9A-Za-z.-]{1,256}))?(?:\+[0-9A-Za-z.-]{1,256})?$/;

/** A version of a package, up to four numbers and a label; undefined for a text that is none. */
export function parseVersion(text: string): PackageVersion | undefined {
  if (text.length > LONGEST) return undefined;
  const [, major, minor = '0', patch = '0', revision = '0', label = ''] = VERSION.exec(text.trim()) ?? [];
  if (major === undefined) return undefined;
  const numbers = [Number(major), Number(minor), Number(patch), Number(revision)] as const;
  const labels = label === '' ? [] : label.split('.');
  if (labels.includes('')) return undefined;
  const shown = (numbers[3] === 0 ? numbers.slice(0, 3) : numbers).join('.');
  return { numbers, labels, text: label === '' ? shown : `${shown}-${label}` };
}

/** Order of versions: below 0 where the first is lower. What stands behind `+` counts for nothing. */
export function compareVersions(a: PackageVersion, b: PackageVersion): number {
  for (const i of [0, 1, 2, 3] as const) if (a.numbers[i] !== b.numbers[i]) return a.numbers[i] - b.numbers[i];
  if (a.labels.length === 0 || b.labels.length === 0) return b.labels.length - a.labels.length;
  for (let i = 0; i < Math.max(a.labels.length, b.labels.length); i++) {
    const [one, other] = [a.labels[i], b.labels[i]];
    if (one === undefined || other === undefined) return one === undefined ? -1 : 1;
    const order = compareLabels(one.toLowerCase(), other.toLowerCase());
    if (order !== 0) return order;
  }
  return 0;
}

function compareLabels(one: string, other: string): number {
  const [isNumber, isOther] = [/^\d+$/.test(one), /^\d+$/.test(other)];
  if (isNumber && isOther) return Number(one) - Number(other);
  if (isNumber !== isOther) return isNumber ? -1 : 1;
  return one < other ? -1 : one > other ? 1 : 0;
}

/** A range; each end undefined where there is none. */
export interface VersionRange {
  readonly low?: PackageVersion;
  readonly high?: PackageVersion;
  readonly isLowIn: boolean;
  readonly isHighIn: boolean;
  readonly text: string;
}

/** `1.2`, `[1.2]`, `[1.2,2.0)`, `(,2.0)`. @returns `floating` for what changes with what is published */
export function parseRange(text: string): VersionRange | 'floating' | undefined {
  const plain = text.trim();
  if (plain.length > LONGEST) return undefined;
  if (plain.includes('*')) return 'floating';
  if (/^[[(]/.test(plain)) return parseInterval(plain);
  const low = parseVersion(plain);
  return low === undefined ? undefined : { low, isLowIn: true, isHighIn: false, text: plain };
}

function parseInterval(plain: string): VersionRange | undefined {
  const [open, close] = [plain.at(0), plain.at(-1)];
  const [first = '', second, more] = plain
    .slice(1, -1)
    .split(',')
    .map((end) => end.trim());
  if (plain.length < 2 || (close !== ']' && close !== ')') || more !== undefined) return undefined;
  const isOne = second === undefined;
  if (isOne && (first === '' || open !== '[' || close !== ']')) return undefined;
  const ends = [first, second ?? first].map((end) => (end === '' ? null : parseVersion(end)));
  const [low, high] = ends;
  if (low === undefined || high === undefined) return undefined;
  return {
    ...(low !== null && { low }),
    ...(high !== null && { high }),
    isLowIn: open === '[',
    isHighIn: close === ']',
    text: plain,
  };
}

/** Whether a version lies in a range, bounds as the range has them. */
export function isIn(version: PackageVersion, { low, high, isLowIn, isHighIn }: VersionRange): boolean {
  const above = low === undefined ? 1 : compareVersions(version, low);
  const below = high === undefined ? 1 : compareVersions(high, version);
  return (above > 0 || (above === 0 && isLowIn)) && (below > 0 || (below === 0 && isHighIn));
}

/** What comes before a version is chosen only where somebody asks for such. */
export function asksForEarly({ low, high }: VersionRange): boolean {
  return (low?.labels.length ?? 0) > 0 || (high?.labels.length ?? 0) > 0;
}
