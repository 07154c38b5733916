/** Compares two artifacts, archives, folders or files of any kind, in the terms of their formats, down to the cause. */
import { statSync } from 'node:fs';
import { EmballageError } from '../../base/errors';
import { present } from '../../base/present';
import { printable } from '../../base/text';
import { withFileSource } from '../../disk/file-source';
import type { ByteSource } from '../../formats/byte-source';
import { isClassFile } from '../../formats/classfile';
import { isElf } from '../../formats/elf';
import { readNative } from '../../formats/native';
import { allForms } from '../../forms';
import {
  Comparing,
  compareTrees,
  folderTree,
  gunzip,
  isGzip,
  isTar,
  isZip,
  sameUntil,
  tarTree,
  zipTree,
  type Comparer,
  type Comparison,
  type Content,
  type Difference,
  type FormSide,
  type FormSides,
  type Looked,
  type SideFacts,
  type Tree,
} from '../../forms/comparing';
import { asGzip, asTar, asZip, countingIn } from './as-archive';
import { asBytecode } from './as-bytecode';
import { asClass } from './as-class';
import { asAssembly, isAssembly } from './as-assembly';
import { asElf, asPe } from './as-native';
import { asText, textOf } from './as-text';

export interface Side {
  /** Absolute path. */
  readonly path: string;
  /** As shown to people. */
  readonly shown: string;
}

/** More are counted, not listed. */
const MOST_LISTED = 2000;

const COMPARERS = [asZip, asTar, asGzip, asClass, asElf, asAssembly, asPe, asBytecode, asText];

/** What forms know of themselves, loaded to compare. */
async function openSides(): Promise<FormSides[]> {
  return (await allForms()).flatMap(({ sides }) => sides ?? []);
}

/** An artifact in the place of a file is compared as what it is, before it is as the format that it is made of. */
function asForm(sides: readonly FormSides[]): Comparer {
  return (a, b, comparing, where) => {
    for (const one of sides) {
      const [x, y] = [one.ofContent(a), one.ofContent(b)];
      if (x !== undefined && y !== undefined) return one.compare(x, y, comparing, where);
    }
    return undefined;
  };
}

/** A side with all that it can be taken for. */
interface Opened extends SideFacts {
  readonly content?: Content;
  /** As an artifact of a form that knows more of itself than its format tells. */
  readonly own?: { readonly sides: FormSides; readonly side: FormSide };
  /** As a tree of files, for sides that are held against one of another kind. */
  readonly tree?: () => Tree;
}

class Opener {
  readonly #sides: readonly FormSides[];

  constructor(sides: readonly FormSides[]) {
    this.#sides = sides;
  }

  comparing(): Comparing {
    return new Comparing([asForm(this.#sides), ...COMPARERS]);
  }

  /** @returns undefined where it is no folder */
  folder({ path, shown }: Side): Opened | undefined {
    const stat = statSync(path, { throwIfNoEntry: false });
    if (stat === undefined)
      throw new EmballageError('FILE_MISSING', {
        doing: 'comparing',
        where: printable(shown),
        expected: 'an artifact, a folder or a file',
        found: 'nothing there',
        mend: 'correct the path',
      });
    if (!stat.isDirectory()) return undefined;
    const own = this.#own((sides) => sides.ofFolder(path, shown));
    return own === undefined
      ? { shown, size: 0, as: 'folder', tree: () => folderTree(path, shown) }
      : { shown, ...own };
  }

  content({ shown }: Side, source: ByteSource): Opened {
    const content = { name: shown, source };
    const own = this.#own((sides) => sides.ofContent(content));
    if (own !== undefined) return { shown, content, ...own };
    const as = kindOf(content);
    const facts = { shown, size: source.size, as, content };
    if (as === 'zip archive') return { ...facts, tree: () => zipTree(source, shown) };
    if (as === 'tar archive') return { ...facts, tree: () => tarTree(source, shown) };
    if (as === 'gzip file') return { ...facts, tree: () => tarTree(gunzip(source).content, shown) };
    return facts;
  }

  #own(sideOf: (sides: FormSides) => FormSide | undefined): Omit<Opened, 'shown'> | undefined {
    for (const sides of this.#sides) {
      const side = sideOf(sides);
      if (side !== undefined)
        return { as: side.as, size: side.size, own: { sides, side }, ...present({ tree: side.tree }) };
    }
    return undefined;
  }
}

/** @throws EmballageError FILE_MISSING, or USAGE for two kinds that cannot be held against each other */
export async function compare(a: Side, b: Side): Promise<Comparison> {
  const opener = new Opener(await openSides());
  const [x, y] = [opener.folder(a), opener.folder(b)];
  if (x !== undefined && y !== undefined) return compareOpened(x, y, opener.comparing());
  if (x !== undefined)
    return withContent(b, (content) => compareOpened(x, opener.content(b, content), opener.comparing()));
  if (y !== undefined)
    return withContent(a, (content) => compareOpened(opener.content(a, content), y, opener.comparing()));
  return withContent(a, (first) =>
    withContent(b, (second) => {
      const [from, to] = [opener.content(a, first), opener.content(b, second)];
      const comparing = opener.comparing();
      // Beyond a difference in size there is nothing to be gained by reading both from the beginning.
      const isAsLong = first.size === second.size;
      const until = isAsLong ? sameUntil({ source: first, at: 0 }, { source: second, at: 0 }, first.size) : 0;
      if (isAsLong && until === first.size) return verdictOf('same-bytes', from, to, { as: from.as }, comparing);
      comparing.knowSame(first, second, until);
      return compareOpened(from, to, comparing);
    }),
  );
}

function withContent<T>({ path, shown }: Side, use: (source: ByteSource) => T | Promise<T>): Promise<T> {
  return withFileSource(path, printable(shown), use);
}

function kindOf(content: Content): string {
  if (isZip(content)) return 'zip archive';
  if (isGzip(content)) return 'gzip file';
  if (isTar(content)) return 'tar archive';
  const start = content.source.read(0, Math.min(64, content.source.size));
  if (isClassFile(start)) return 'class file';
  if (isElf(start)) return 'ELF file';
  if (isAssembly(content)) return '.NET assembly';
  if (readNative(content.source) !== undefined) return 'executable';
  return textOf(content.source) === undefined ? 'file' : 'text';
}

function compareOpened(a: Opened, b: Opened, comparing: Comparing): Comparison {
  // What a form is known by counts, however it lies there.
  const digest = a.own?.side.digest;
  if (digest !== undefined && digest === b.own?.side.digest)
    return verdictOf('same-bytes', a, b, { as: a.as }, comparing);
  const looked = lookInto(a, b, comparing);
  const differences = looked.inside ?? [];
  const own = whole(looked, a, b);
  const all = own === undefined ? differences : [own, ...differences];
  const isSame = looked.cause !== undefined || countingIn(all) === 0;
  return verdictOf(isSame ? 'same-content' : 'differs', a, b, { ...looked, inside: all }, comparing);
}

/** What differs of the two as a whole, beside what is in them. */
function whole({ details = [], lines, as, cause }: Looked, a: Opened, b: Opened): Difference | undefined {
  if (details.length === 0 && lines === undefined) return undefined;
  return {
    change: cause === undefined ? 'changed' : 'described',
    path: a.shown,
    by: b.size - a.size,
    as,
    details,
    ...present({ lines, cause }),
  };
}

function lookInto(a: Opened, b: Opened, comparing: Comparing): Looked {
  if (a.own !== undefined && a.own.sides === b.own?.sides)
    return a.own.sides.compare(a.own.side, b.own.side, comparing, '');
  if (a.content !== undefined && b.content !== undefined && a.as === b.as)
    return comparing.look(a.content, b.content, '');
  if (a.tree !== undefined && b.tree !== undefined) {
    // What a folder or another format cannot say is not held against either.
    const [x, y] = [a.tree(), b.tree()];
    const inside = compareTrees(plain(x), plain(y), comparing, '');
    return { as: x.as, inside, ...(inside.length === 0 && { cause: 'tool' as const }) };
  }
  if (a.content !== undefined && b.content !== undefined && (isPlain(a) || isPlain(b)))
    return comparing.look(a.content, b.content, '');
  throw new EmballageError('USAGE', {
    doing: 'comparing',
    where: `${printable(a.shown)}, ${printable(b.shown)}`,
    expected: 'two of a kind, or archives and folders of files',
    found: `${a.as} and ${b.as}`,
    mend: 'name two that can be held against each other',
  });
}

/** Kinds of which nothing more is known are compared as bytes. */
function isPlain({ as }: Opened): boolean {
  return as === 'file' || as === 'text';
}

function plain({ as, entries }: Tree): Tree {
  const wanted = entries.filter(({ kind, path }) => kind !== 'folder' && path !== '');
  return {
    as,
    entries: wanted.map(({ said: _said, ...one }) => ({ ...one, said: {} })).sort((x, y) => (x.path < y.path ? -1 : 1)),
  };
}

function verdictOf(
  verdict: Comparison['verdict'],
  a: Opened,
  b: Opened,
  { inside = [] }: Looked,
  comparing: Comparing,
): Comparison {
  const facts = ({ shown, as, size }: Opened): SideFacts => ({ shown, as, size });
  return {
    verdict,
    a: facts(a),
    b: facts(b),
    causes: comparing.causes,
    differences: inside.slice(0, MOST_LISTED),
    unlisted: Math.max(0, inside.length - MOST_LISTED),
  };
}
