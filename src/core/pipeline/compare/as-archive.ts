/** Archives in the place of files: looked into, so that a change deep inside is told as what it is. */
import {
  compareTrees,
  gunzip,
  isGzip,
  isTar,
  isZip,
  sameStretch,
  tarTree,
  zipTree,
  type Comparer,
  type Comparing,
  type Difference,
  type Looked,
  type Tree,
} from '../../forms/comparing';

/** What two trees come to: without any difference listed, only packaging differs. */
export function lookedTrees(a: Tree, b: Tree, comparing: Comparing, where: string): Looked {
  const inside = compareTrees(a, b, comparing, where);
  return { as: a.as, inside, ...(inside.length === 0 && { cause: 'compressor' as const }) };
}

export const asZip: Comparer = (a, b, comparing, where) =>
  isZip(a) && isZip(b)
    ? lookedTrees(zipTree(a.source, a.name), zipTree(b.source, b.name), comparing, where)
    : undefined;

export const asTar: Comparer = (a, b, comparing, where) =>
  isTar(a) && isTar(b)
    ? lookedTrees(tarTree(a.source, a.name), tarTree(b.source, b.name), comparing, where)
    : undefined;

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
