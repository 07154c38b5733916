/** Compares two artifacts, archives, folders or files of any kind, in the terms of their formats, down to the cause. */
import { existsSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { EmballageError } from '../../base/errors';
import { present } from '../../base/present';
import { printable } from '../../base/text';
import { withFileSource } from '../../disk/file-source';
import type { ByteSource } from '../../formats/byte-source';
import { isClassFile } from '../../formats/classfile';
import { isElf } from '../../formats/elf';
import { LAYOUT_FILE } from '../../formats/oci';
import { readNative } from '../../formats/native';
import { folderTree, gunzip, lazyFile, tarTree, zipTree } from '../../forms/comparing/archives';
import { asGzip, asTar, asZip, countingIn, isGzip, isTar, isZip } from './as-archive';
import { asBytecode } from './as-bytecode';
import { asClass } from './as-class';
import { compareImages, imageIn, imageOf, type ImageSide } from '../../forms/image/compare';
import { asAssembly, isAssembly } from './as-assembly';
import { asElf, asPe } from './as-native';
import { asText, textOf } from './as-text';
import { Comparing, type Looked } from '../../forms/comparing/comparing';
import type { Comparison, Content, Difference, SideFacts, Tree } from '../../forms/comparing/model';
import { compareTrees, sameUntil } from '../../forms/comparing/trees';

export interface Side {
  /** Absolute path. */
  readonly path: string;
  /** As shown to people. */
  readonly shown: string;
}

/** More are counted, not listed. */
const MOST_LISTED = 2000;

const COMPARERS = [asZip, asTar, asGzip, asClass, asElf, asAssembly, asPe, asBytecode, asText];

/** @throws EmballageError FILE_MISSING, or USAGE for two kinds that cannot be held against each other */
export async function compare(a: Side, b: Side): Promise<Comparison> {
  const [x, y] = [openFolder(a), openFolder(b)];
  if (x !== undefined && y !== undefined) return compareOpened(x, y);
  if (x !== undefined) return withContent(b, (content) => compareOpened(x, openContent(b, content)));
  if (y !== undefined) return withContent(a, (content) => compareOpened(openContent(a, content), y));
  return withContent(a, (first) =>
    withContent(b, (second) => {
      const [from, to] = [openContent(a, first), openContent(b, second)];
      const comparing = new Comparing(COMPARERS);
      // Beyond a difference in size there is nothing to be gained by reading both from the beginning.
      const isAsLong = first.size === second.size;
      const until = isAsLong ? sameUntil({ source: first, at: 0 }, { source: second, at: 0 }, first.size) : 0;
      if (isAsLong && until === first.size) return verdictOf('same-bytes', from, to, { as: from.as }, comparing);
      comparing.knowSame(first, second, until);
      return compareOpened(from, to, comparing);
    }),
  );
}

/** A side with all that it can be taken for. */
interface Opened extends SideFacts {
  readonly content?: Content;
  readonly image?: ImageSide;
  /** As a tree of files, for sides that are held against one of another kind. */
  readonly tree?: () => Tree;
}

function openFolder({ path, shown }: Side): Opened | undefined {
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
  if (!existsSync(join(path, LAYOUT_FILE)))
    return { shown, size: 0, as: 'folder', tree: () => folderTree(path, shown) };
  const image = imageOf(shown, (name) => {
    const at = statSync(join(path, name), { throwIfNoEntry: false });
    return at?.isFile() === true ? lazyFile(join(path, name), at.size) : undefined;
  });
  return { shown, size: image?.size ?? 0, as: 'image', ...(image !== undefined && { image }) };
}

function withContent<T>({ path, shown }: Side, use: (source: ByteSource) => T | Promise<T>): Promise<T> {
  return withFileSource(path, printable(shown), use);
}

function openContent({ shown }: Side, source: ByteSource): Opened {
  const content = { name: shown, source };
  const as = kindOf(content);
  const facts = { shown, size: source.size, as, content };
  if (as === 'zip archive') return { ...facts, tree: () => zipTree(source, shown) };
  if (as === 'tar archive') {
    const image = imageIn(content);
    return image === undefined
      ? { ...facts, tree: () => tarTree(source, shown) }
      : { ...facts, as: 'image', size: image.size, image };
  }
  if (as === 'gzip file') return { ...facts, tree: () => tarTree(gunzip(source).content, shown) };
  return facts;
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

function compareOpened(a: Opened, b: Opened, comparing = new Comparing(COMPARERS)): Comparison {
  // The digest of its manifest is what an image is known by, however its blobs lie there.
  if (a.image !== undefined && a.image.digest === b.image?.digest)
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
    ...{ change: cause === undefined ? 'changed' : 'described', path: a.shown, by: b.size - a.size, as, details },
    ...present({ lines, cause }),
  };
}

function lookInto(a: Opened, b: Opened, comparing: Comparing): Looked {
  if (a.image !== undefined && b.image !== undefined) return compareImages(a.image, b.image, comparing, '');
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
    ...{ verdict, a: facts(a), b: facts(b), causes: comparing.causes },
    differences: inside.slice(0, MOST_LISTED),
    unlisted: Math.max(0, inside.length - MOST_LISTED),
  };
}
