/** One comparison under way: what was noted on the way, how deep it is, and how much it may still list. */
import { firstDifferentByte, byteAt, type ByteSource } from '../../formats/byte-source';
import type { Cause, CauseId, Content, Detail, Difference, TreeEntry } from './model';

/** Archives in archives are looked into so deep; what lies deeper is compared as bytes. */
const MOST_DEPTH = 12;

/** Looks into two contents; undefined where it is not for it. */
export type Comparer = (a: Content, b: Content, comparing: Comparing, where: string) => Looked | undefined;

/** What looking into two contents gave. */
export interface Looked {
  readonly as: string;
  readonly details?: readonly Detail[];
  readonly lines?: readonly string[];
  readonly inside?: readonly Difference[];
  /** Nothing that counts differs, but for this. */
  readonly cause?: CauseId;
}

export class Comparing {
  readonly #comparers: readonly Comparer[];
  readonly #causes = new Map<CauseId, { where: string; a: string; b: string; times: number }>();
  #depth = 0;
  #same: { readonly a: ByteSource; readonly b: ByteSource; readonly until: number } | undefined;

  /** @param comparers the first that is for two contents looks into them */
  constructor(comparers: readonly Comparer[]) {
    this.#comparers = comparers;
  }

  /** Two sources are the same up to there: nobody need read that again. */
  knowSame(a: ByteSource, b: ByteSource, until: number): void {
    this.#same = { a, b, until };
  }

  /** Whether a stretch is known to be the same on both sides. */
  isKnownSame(a: NonNullable<TreeEntry['raw']>, b: NonNullable<TreeEntry['raw']>): boolean {
    const same = this.#same;
    return same?.a === a.source && same.b === b.source && a.at === b.at && a.at + a.length <= same.until;
  }

  /** Something that makes bytes differ without counting. */
  note(cause: CauseId, where: string, a: string, b: string): void {
    const known = this.#causes.get(cause);
    if (known === undefined) this.#causes.set(cause, { where, a, b, times: 1 });
    else known.times += 1;
  }

  get causes(): Cause[] {
    return [...this.#causes].map(([cause, one]) => ({ cause, ...one })).sort((x, y) => y.times - x.times);
  }

  tryOpen(entry: Pick<TreeEntry, 'open'>): ByteSource | undefined {
    try {
      return entry.open();
    } catch {
      // What is cut or damaged has no content to compare.
      return undefined;
    }
  }

  /** Two entries of one path whose content differs. */
  entry(a: TreeEntry, b: TreeEntry, details: readonly Detail[], where: string): Difference {
    const [x, y] = [this.tryOpen(a), this.tryOpen(b)];
    const by = b.size - a.size;
    if (x === undefined || y === undefined) {
      const state = (one: unknown): string => (one === undefined ? 'cannot be read' : 'can be read');
      return {
        change: 'changed',
        path: a.path,
        by,
        details: [...details, { what: 'content', a: state(x), b: state(y) }],
      };
    }
    const looked = this.look({ name: a.path, source: x }, { name: b.path, source: y }, where);
    const { details: own = [], inside, ...rest } = looked;
    const isAsGood = looked.cause !== undefined || isSaidOnly(inside ?? []);
    return {
      change: isAsGood ? 'described' : 'changed',
      path: a.path,
      by,
      ...rest,
      ...(inside !== undefined && { inside }),
      details: [...details, ...own],
      ...(isAsGood && { cause: looked.cause ?? inside?.[0]?.cause ?? 'compressor' }),
    };
  }

  /** What differs in two contents that are not the same. */
  look(a: Content, b: Content, where: string): Looked {
    this.#depth += 1;
    try {
      return this.#lookInside(a, b, where) ?? asBytes(a.source, b.source);
    } finally {
      this.#depth -= 1;
    }
  }

  #lookInside(a: Content, b: Content, where: string): Looked | undefined {
    if (this.#depth > MOST_DEPTH) return undefined;
    for (const comparer of this.#comparers) {
      const found = this.#tryLook(comparer, a, b, where);
      if (found !== undefined) return found;
    }
    return undefined;
  }

  /** What claims to be of a format and is damaged is compared as what it is: bytes. */
  #tryLook(comparer: Comparer, a: Content, b: Content, where: string): Looked | undefined {
    try {
      return comparer(a, b, this, where);
    } catch {
      return undefined;
    }
  }
}

/** Whether there are differences, and none that counts. */
function isSaidOnly(inside: readonly Difference[]): boolean {
  return inside.length > 0 && inside.every(({ cause }) => cause !== undefined);
}

function asBytes(a: ByteSource, b: ByteSource): Looked {
  const at = firstDifferentByte(a, b) ?? 0;
  const sizes = a.size === b.size ? [] : [{ what: 'size', a: `${String(a.size)} bytes`, b: `${String(b.size)} bytes` }];
  const first = { what: `byte ${String(at)}`, a: byteAt(a, at), b: byteAt(b, at) };
  return { as: 'bytes', details: [...sizes, first, ...textThere(a, b, at)] };
}

/** The texts that stand where two contents first differ, where both have one there. */
export function textThere(a: ByteSource, b: ByteSource, at = firstDifferentByte(a, b) ?? 0): Detail[] {
  const texts = { what: 'text there', a: textAround(a, at), b: textAround(b, at) };
  return Math.min(texts.a.length, texts.b.length) >= LEAST_TEXT ? [texts] : [];
}

/** Shorter runs of letters are likely to be none. */
const LEAST_TEXT = 6;
const MOST_AROUND = 60;

/** The run of printable letters around a byte. */
function textAround(source: ByteSource, at: number): string {
  const from = Math.max(0, at - MOST_AROUND);
  const bytes = source.read(from, Math.min(2 * MOST_AROUND, source.size - from));
  const text = Buffer.from(bytes).toString('latin1');
  const [before] = /[\x20-\x7e]*$/.exec(text.slice(0, at - from)) ?? [''];
  const [after] = /^[\x20-\x7e]*/.exec(text.slice(at - from)) ?? [''];
  return before + after;
}
