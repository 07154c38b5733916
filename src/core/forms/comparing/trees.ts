/** Two trees of files held against each other: what came, went, moved, changed, and what is said about it. */
import { comparePaths, foldersAbove } from '../../base/paths';
import { groupBy } from '../../base/several';
import { contentDigest } from '../../disk/digest';
import type { ByteSource } from '../../formats/byte-source';
import type { Comparing } from './comparing';
import type { CauseId, Detail, Difference, Tree, TreeEntry } from './model';

/** Larger files are not looked for elsewhere when they are gone. */
const MOST_MOVED_BYTES = 256 * 1024 ** 2;

/** @param where the path of what holds the trees, for causes; '' at the top */
export function compareTrees(a: Tree, b: Tree, comparing: Comparing, where: string): Difference[] {
  const [first, second] = [byPath(a), byPath(b)];
  const paths = [...new Set([...first.keys(), ...second.keys()])].sort(comparePaths);
  const both = paths.filter((path) => first.has(path) && second.has(path));
  const gone = withoutImplied(a, second, comparing, where, 'first');
  const come = withoutImplied(b, first, comparing, where, 'second');
  const moved = findMoved(gone, come);
  const differences = both.flatMap((path) => {
    const [x, y] = [first.get(path), second.get(path)];
    return x === undefined || y === undefined ? [] : compareEntries(x, y, comparing, joined(where, path));
  });
  if (both.join('\0') !== '' && orderOf(a, second) !== orderOf(b, first)) {
    const [x, y] = firstInOtherOrder(a, b);
    comparing.note('order', where === '' ? 'entries' : where, x, y);
  }
  return [
    ...differences,
    ...moved.pairs.map(({ from, to }): Difference => {
      return { change: 'moved', path: from.path, to: to.path, by: 0, details: modeDetails(from, to) };
    }),
    ...gone.filter((one) => !moved.seen.has(one)).map((one) => loose('removed', one)),
    ...come.filter((one) => !moved.seen.has(one)).map((one) => loose('added', one)),
  ];
}

/** What only one has. A folder that the other has only by what lies in it is a matter of packaging. */
function withoutImplied(
  { entries }: Tree,
  other: ReadonlyMap<string, TreeEntry>,
  comparing: Comparing,
  where: string,
  which: 'first' | 'second',
): TreeEntry[] {
  const only = entries.filter(({ path }) => !other.has(path));
  const implied = only.some(({ kind }) => kind === 'folder') ? foldersAbove([...other.keys()]) : new Set<string>();
  const isImplied = ({ kind, path }: TreeEntry): boolean => kind === 'folder' && (path === '' || implied.has(path));
  const [folder] = only.filter(isImplied);
  if (folder !== undefined) {
    const said = ['folders are entries', 'folders are not'] as const;
    comparing.note(
      'tool',
      joined(where, `${folder.path}/`),
      said[which === 'first' ? 0 : 1],
      said[which === 'first' ? 1 : 0],
    );
  }
  return only.filter((entry) => !isImplied(entry));
}

function byPath({ entries }: Tree): Map<string, TreeEntry> {
  const found = new Map<string, TreeEntry>();
  // Of several with one name the first is taken, on both sides.
  for (const entry of entries) if (!found.has(entry.path)) found.set(entry.path, entry);
  return found;
}

function joined(where: string, path: string): string {
  return where === '' ? path : `${where} › ${path}`;
}

function loose(change: 'added' | 'removed', { path, kind, size }: TreeEntry): Difference {
  const by = change === 'added' ? size : -size;
  return { change, path: kind === 'folder' ? `${path}/` : path, by: kind === 'file' ? by : 0, details: [] };
}

function compareEntries(a: TreeEntry, b: TreeEntry, comparing: Comparing, where: string): Difference[] {
  const details = [...kindDetails(a, b), ...modeDetails(a, b)];
  noteSaid(a, b, comparing, where);
  if (a.kind !== b.kind) return [{ change: 'changed', path: a.path, by: b.size - a.size, details }];
  const isSame = a.kind !== 'file' || sameContent(a, b, comparing, where);
  if (!isSame) return [comparing.entry(a, b, details, where)];
  if (a.kind === 'link' && a.target !== b.target)
    return [
      {
        change: 'changed',
        path: a.path,
        by: 0,
        details: [{ what: 'points to', a: a.target ?? '', b: b.target ?? '' }],
      },
    ];
  return details.length === 0 ? [] : [{ change: 'described', path: a.path, by: 0, details, cause: 'mode' }];
}

function kindDetails(a: TreeEntry, b: TreeEntry): Detail[] {
  return a.kind === b.kind ? [] : [{ what: 'kind', a: a.kind, b: b.kind }];
}

function modeDetails(a: TreeEntry, b: TreeEntry): Detail[] {
  if (a.mode === undefined || b.mode === undefined || a.mode === b.mode || a.kind === 'link') return [];
  const shown = (mode: number): string => `0${mode.toString(8)}`;
  return [{ what: 'mode', a: shown(a.mode), b: shown(b.mode) }];
}

function noteSaid(a: TreeEntry, b: TreeEntry, comparing: Comparing, where: string): void {
  for (const cause of Object.keys({ ...a.said, ...b.said }) as CauseId[]) {
    const [x, y] = [a.said[cause]?.join(', ') ?? 'nothing', b.said[cause]?.join(', ') ?? 'nothing'];
    if (x !== y) comparing.note(cause, where, x, y);
  }
  if (a.mode !== undefined && b.mode !== undefined && a.mode !== b.mode && a.kind !== 'link')
    comparing.note('mode', where, `0${a.mode.toString(8)}`, `0${b.mode.toString(8)}`);
}

/** Equal bytes as they lie there are equal content; what is packed otherwise is unpacked to see. */
function sameContent(a: TreeEntry, b: TreeEntry, comparing: Comparing, where: string): boolean {
  if (a.size !== b.size || (a.sum !== undefined && b.sum !== undefined && a.sum !== b.sum)) return false;
  const asTheyLie = sameAsTheyLie(a.raw, b.raw, comparing);
  if (asTheyLie !== undefined) return asTheyLie;
  const [x, y] = [comparing.tryOpen(a), comparing.tryOpen(b)];
  if (x === undefined || y === undefined) return false;
  const isSame = sameStretch({ source: x, at: 0 }, { source: y, at: 0 }, x.size);
  if (isSame && a.raw !== undefined && b.raw !== undefined) {
    const shown = ({ method, length }: NonNullable<TreeEntry['raw']>): string => `${String(length)} bytes, ${method}`;
    comparing.note('compressor', where, shown(a.raw), shown(b.raw));
  }
  return isSame;
}

/** Undefined where only unpacking tells. */
function sameAsTheyLie(a: TreeEntry['raw'], b: TreeEntry['raw'], comparing: Comparing): boolean | undefined {
  if (a === undefined || b?.method !== a.method || a.length !== b.length) return undefined;
  if (comparing.isKnownSame(a, b) || sameStretch(a, b, a.length)) return true;
  return a.method === 'stored' ? false : undefined;
}

interface Stretch {
  readonly source: ByteSource;
  readonly at: number;
}

/** Whether two stretches of a length hold the same. */
export function sameStretch(a: Stretch, b: Stretch, length: number): boolean {
  return sameUntil(a, b, length) === length;
}

/** Up to where two stretches are certainly the same: the length, or the beginning of the piece in which they differ. */
export function sameUntil(a: Stretch, b: Stretch, length: number): number {
  for (let at = 0; at < length; at += PIECE) {
    const step = Math.min(PIECE, length - at);
    if (Buffer.compare(piece(a, at, step, 0), piece(b, at, step, 1)) !== 0) return at;
  }
  return length;
}

const PIECE = 1024 * 1024;
const room = [Buffer.alloc(0), Buffer.alloc(0)];

/** Read into the same room over and over, where the source can. */
function piece({ source, at }: Stretch, from: number, length: number, side: 0 | 1): Uint8Array {
  if (source.readInto === undefined || length < PIECE) return source.read(at + from, length);
  const bytes = room[side]?.length === PIECE ? room[side] : (room[side] = Buffer.alloc(PIECE));
  source.readInto(at + from, bytes);
  return bytes;
}

interface Moved {
  readonly pairs: readonly { readonly from: TreeEntry; readonly to: TreeEntry }[];
  readonly seen: ReadonlySet<TreeEntry>;
}

/** What is gone and has come elsewhere with the same content. */
function findMoved(gone: readonly TreeEntry[], come: readonly TreeEntry[]): Moved {
  const pairs: { from: TreeEntry; to: TreeEntry }[] = [];
  const seen = new Set<TreeEntry>();
  const isWorth = ({ kind, size }: TreeEntry): boolean => kind === 'file' && size > 0 && size <= MOST_MOVED_BYTES;
  const bySize = groupBy(come.filter(isWorth), ({ size }) => String(size));
  const digests = new Map<TreeEntry, string>();
  const digestOf = (entry: TreeEntry): string => {
    const known = digests.get(entry) ?? digestOrNone(entry);
    digests.set(entry, known);
    return known;
  };
  for (const from of gone.filter(isWorth)) {
    const alike = (bySize.get(String(from.size)) ?? []).filter((one) => !seen.has(one));
    const to = alike.find(
      (one) =>
        (from.sum === undefined || one.sum === undefined || from.sum === one.sum) && digestOf(from) === digestOf(one),
    );
    if (to === undefined) continue;
    pairs.push({ from, to });
    seen.add(from).add(to);
  }
  return { pairs, seen };
}

/** What cannot be read is like nothing else. */
function digestOrNone(entry: TreeEntry): string {
  try {
    const source = entry.open();
    return contentDigest(source.read(0, source.size));
  } catch {
    return `unreadable ${entry.path} ${String(Math.random())}`;
  }
}

/** The paths that both have, in the order in which one has them. */
function orderOf({ entries }: Tree, other: ReadonlyMap<string, TreeEntry>): string {
  return entries.flatMap(({ path }) => (other.has(path) ? [path] : [])).join('\0');
}

function firstInOtherOrder(a: Tree, b: Tree): [string, string] {
  const there = new Set(b.entries.map(({ path }) => path));
  const here = new Set(a.entries.map(({ path }) => path));
  const x = a.entries.filter(({ path }) => there.has(path)).map(({ path }) => path);
  const y = b.entries.filter(({ path }) => here.has(path)).map(({ path }) => path);
  const at = x.findIndex((path, i) => path !== y[i]);
  return [`${x[at] ?? ''} comes before`, `${y[at] ?? ''} does`];
}
