/** The first place in which two builds of one thing differ, and what is likely to have made it so. */
import { compare, type Cause, type CauseId, type Difference } from '../compare';

/** Causes that show in two texts, beside those that formats tell of. */
export const LIKELY = {
  time: 'a time stamp',
  path: 'a path of the machine',
  order: 'another order',
  random: 'something random',
  owner: 'a user or group',
  host: 'the name of the machine',
  user: 'the name of the user',
  mode: 'other permissions',
  tool: 'another tool or version of it',
  'build-id': 'a build id',
  compressor: 'another compressor or level',
  unknown: 'not to be told from the bytes',
} as const satisfies Readonly<Record<CauseId | 'random' | 'host' | 'user' | 'unknown', string>>;
export type LikelyId = keyof typeof LIKELY;

export interface Place {
  /** `run › .rodata`, `line 12 of stamp.txt`. */
  readonly where: string;
  readonly a: string;
  readonly b: string;
  readonly cause: LikelyId;
}

export interface BuiltFile {
  /** Absolute path. */
  readonly path: string;
  /** Absolute path of the project that it was built in. */
  readonly builtIn: string;
}

/** @param shown its path in the project */
export async function placeOf(a: BuiltFile, b: BuiltFile, shown: string): Promise<Place> {
  const { differences, causes } = await compare({ path: a.path, shown }, { path: b.path, shown });
  const shows = firstShown(differences, '', shown);
  // What formats say of themselves explains a difference where no content differs.
  const [said] = causes;
  if (shows === undefined) return said === undefined ? nowhere(shown) : placeSaid(said);
  const cause = likely(shows, a, b) ?? (said === undefined ? undefined : said.cause);
  return { ...shows, cause: cause ?? 'unknown' };
}

function nowhere(shown: string): Place {
  return { where: shown, a: '', b: '', cause: 'unknown' };
}

function placeSaid({ cause, where, a, b }: Cause): Place {
  return { where, a, b, cause };
}

interface Shown {
  readonly where: string;
  readonly a: string;
  readonly b: string;
  readonly mode?: boolean;
  /** All lines that went, and that came, where it is a text. */
  readonly lines?: { readonly gone: readonly string[]; readonly come: readonly string[] };
}

function firstShown(differences: readonly Difference[], above: string, shown: string): Shown | undefined {
  for (const one of differences) {
    const path = one.path === shown ? '' : one.path;
    const where = [above, path].filter((part) => part !== '').join(' › ');
    const found = inOne(one, where) ?? firstShown(one.inside ?? [], where, shown);
    if (found !== undefined) return found;
  }
  return undefined;
}

function inOne({ change, details, lines, inside = [] }: Difference, where: string): Shown | undefined {
  if (change === 'added') return { where, a: 'nothing', b: 'there' };
  if (change === 'removed') return { where, a: 'there', b: 'nothing' };
  if (lines !== undefined) return inLines(lines, where);
  if (inside.length > 0) return undefined;
  // Sizes say less than what stands there.
  const detail =
    details.find(({ what }) => what === 'text there') ?? details.find(({ what }) => what !== 'size') ?? details[0];
  if (detail === undefined) return { where, a: '', b: '' };
  const { what, a, b } = detail;
  const place = what === 'text there' ? where : `${where}, ${what}`.replace(/^, /, '');
  return { where: place, a, b, ...(what === 'mode' && { mode: true }) };
}

function inLines(lines: readonly string[], where: string): Shown | undefined {
  const of = (sign: string): string[] => lines.filter((line) => line.startsWith(sign)).map((line) => line.slice(1));
  const [gone, come] = [of('-'), of('+')];
  const at = /^@@ line (\d+)/.exec(lines.find((line) => line.startsWith('@@ line')) ?? '')?.[1] ?? '1';
  const before = lines
    .slice(lines.findIndex((line) => line.startsWith('@@ line')) + 1)
    .findIndex((line) => /^[-+]/.test(line));
  const line = String(Number(at) + Math.max(0, before));
  return {
    where: `${where}, line ${line}`.replace(/^, /, ''),
    a: gone[0] ?? '',
    b: come[0] ?? '',
    lines: { gone, come },
  };
}

/** Names that variations give, and nothing else has. */
const OTHER_USER = /\bsomebody\b|\b4711\b/;
const OTHER_HOST = /\belsewhere\b/;
const TIME =
  /\d{4}-\d\d-\d\d|\d\d:\d\d(?::\d\d)?|\b(?:Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec)[a-z]*\b|\b1[5-9]\d{8}(?:\d{3})?\b|\b(?:19|20)\d\d[01]\d[0-3]\d/;
const RANDOM = /[0-9a-f]{8}-?[0-9a-f]{4}-?[0-9a-f]{4}|\b[0-9a-f]{8,}\b|\b0\.\d{8,}|\b\d{9,}\b/i;

/** What two texts that differ have about them. */
function likely({ a, b, mode, lines }: Shown, x: BuiltFile, y: BuiltFile): LikelyId | undefined {
  if (mode === true) return 'mode';
  // A line that went here and came there was moved.
  if (lines !== undefined && hasSame(lines.gone, lines.come)) return 'order';
  if (isSameInOtherOrder(a.split(/[\s,;:]+/), b.split(/[\s,;:]+/))) return 'order';
  const both = (pattern: RegExp): boolean => pattern.test(a) && pattern.test(b);
  if (holdsFolder(a, x.builtIn) || holdsFolder(b, y.builtIn)) return 'path';
  if (both(/(?:^|[\s"'=:(])\/[\w.@+~-]+\//)) return 'path';
  if (OTHER_HOST.test(b) && !OTHER_HOST.test(a)) return 'host';
  if (OTHER_USER.test(b) && !OTHER_USER.test(a)) return 'user';
  if (both(TIME)) return 'time';
  return both(RANDOM) ? 'random' : undefined;
}

/** The folder itself, or the last of it where the beginning was cut off. */
function holdsFolder(text: string, folder: string): boolean {
  const end = folder.split('/').slice(-2).join('/');
  return text.includes(folder) || (end.length > 8 && text.includes(end));
}

function isSameInOtherOrder(a: readonly string[], b: readonly string[]): boolean {
  return a.length > 1 && hasSame(a, b) && a.join('\n') !== b.join('\n');
}

function hasSame(a: readonly string[], b: readonly string[]): boolean {
  const sorted = (all: readonly string[]): string => [...all].sort().join('\n');
  return a.length > 0 && a.length === b.length && sorted(a) === sorted(b);
}
