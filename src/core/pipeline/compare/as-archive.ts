/** Archives in the place of files: looked into, so that a change deep inside is told as what it is. */
import { describeImageSides } from '../../forms/image/compare';
import { gunzip, tarTree, zipTree } from '../../forms/comparing/archives';
import type { Comparer, Comparing, Looked } from '../../forms/comparing/comparing';
import type { Content, Difference, Tree } from '../../forms/comparing/model';
import { compareTrees, sameStretch } from '../../forms/comparing/trees';

function startsWith({ source }: Content, ...bytes: readonly number[]): boolean {
  if (source.size < bytes.length) return false;
  const start = source.read(0, bytes.length);
  return bytes.every((byte, i) => start[i] === byte);
}

export function isZip(content: Content): boolean {
  return startsWith(content, 0x50, 0x4b, 3, 4) || startsWith(content, 0x50, 0x4b, 5, 6);
}

export function isTar({ source }: Content): boolean {
  return source.size >= 512 && Buffer.from(source.read(257, 5)).toString('latin1') === 'ustar';
}

export function isGzip(content: Content): boolean {
  return startsWith(content, 0x1f, 0x8b, 8);
}

/** What two trees come to: without any difference listed, only packaging differs. */
export function lookedTrees(a: Tree, b: Tree, comparing: Comparing, where: string): Looked {
  const inside = compareTrees(a, b, comparing, where);
  return { as: a.as, inside, ...(inside.length === 0 && { cause: 'compressor' as const }) };
}

export const asZip: Comparer = (a, b, comparing, where) =>
  isZip(a) && isZip(b)
    ? lookedTrees(zipTree(a.source, a.name), zipTree(b.source, b.name), comparing, where)
    : undefined;

export const asTar: Comparer = (a, b, comparing, where) => {
  if (!isTar(a) || !isTar(b)) return undefined;
  return (
    describeImageSides(a, b, comparing, where) ??
    lookedTrees(tarTree(a.source, a.name), tarTree(b.source, b.name), comparing, where)
  );
};

export const asGzip: Comparer = (a, b, comparing, where) => {
  if (!isGzip(a) || !isGzip(b)) return undefined;
  const [x, y] = [gunzip(a.source), gunzip(b.source)];
  const place = where === '' ? 'the gzip header' : where;
  if (x.time !== y.time) comparing.note('time', place, x.time, y.time);
  if (x.tool !== y.tool) comparing.note('tool', place, x.tool, y.tool);
  const details = x.name === y.name ? [] : [{ what: 'name in the header', a: x.name, b: y.name }];
  const isSame =
    x.content.size === y.content.size &&
    sameStretch({ source: x.content, at: 0 }, { source: y.content, at: 0 }, x.content.size);
  if (isSame) {
    if (a.source.size !== b.source.size || (x.time === y.time && x.tool === y.tool))
      comparing.note('compressor', place, `${String(a.source.size)} bytes`, `${String(b.source.size)} bytes`);
    return { as: 'gzip file', details, inside: [], cause: a.source.size !== b.source.size ? 'compressor' : 'time' };
  }
  const plain = (name: string): string => name.replace(/\.(?:gz|tgz)$/i, (end) => (/tgz/i.test(end) ? '.tar' : ''));
  const looked = comparing.look(
    { name: plain(a.name), source: x.content },
    { name: plain(b.name), source: y.content },
    where,
  );
  return { ...looked, as: `gzip file of ${article(looked.as)}`, details: [...details, ...(looked.details ?? [])] };
};

function article(words: string): string {
  return /^[aeiou]/i.test(words) ? `an ${words}` : `a ${words}`;
}

/** Differences that count, with those inside others. */
export function countingIn(differences: readonly Difference[]): number {
  return differences.reduce((sum, one) => sum + (one.cause === undefined ? 1 + countingIn(one.inside ?? []) : 0), 0);
}
