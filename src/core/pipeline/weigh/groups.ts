/** The same weights, put together by what parts have in common. */
import { comparePaths, folderOf } from '../../base/paths';
import { stepsFromRoot } from '../../base/flow-graph';
import { groupBy } from '../../base/several';
import { rowsByOwner, withoutPackage, type ReasonGraph } from '../../waybill';
import type { FormFacts } from '../../sheet';
import { KINDS_OF_PART, type DependencyGroup, type Group, type Part, type Weight } from './model';

export const NOTHING: Weight = { unpacked: 0, packed: 0 };

/** Two weights together. */
export function plus(a: Weight, b: Weight): Weight {
  return { unpacked: a.unpacked + b.unpacked, packed: a.packed + b.packed };
}

/** What parts weigh together, in bytes. */
export function weightOf(parts: Iterable<Weight>): Weight {
  let [unpacked, packed] = [0, 0];
  for (const part of parts) [unpacked, packed] = [unpacked + part.unpacked, packed + part.packed];
  return { unpacked, packed };
}

/** The heaviest first. */
export function byWeight(a: Group, b: Group): number {
  return b.unpacked - a.unpacked || b.packed - a.packed || comparePaths(a.name, b.name);
}

/** @param nameOf undefined for parts that are of no group */
export function groupsBy(parts: readonly Part[], nameOf: (part: Part) => string | undefined): Group[] {
  const sums = new Map<string, { name: string; files: number; unpacked: number; packed: number }>();
  for (const part of parts) {
    const name = nameOf(part);
    if (name === undefined) continue;
    const sum = sums.get(name);
    if (sum === undefined) sums.set(name, { name, files: 1, unpacked: part.unpacked, packed: part.packed });
    else {
      sum.files += 1;
      sum.unpacked += part.unpacked;
      sum.packed += part.packed;
    }
  }
  return [...sums.values()].filter(({ unpacked, packed }) => unpacked > 0 || packed > 0).sort(byWeight);
}

/** Folders at the top, each with all that lies in it. One that holds nearly everything is opened. */
function folderGroups(parts: readonly Part[]): Group[] {
  const files = parts.filter(({ owner }) => owner.kind !== 'frame');
  const total = weightOf(files).unpacked;
  let top = '';
  for (;;) {
    const at = top;
    const groups = groupsBy(files, ({ path }) => topBelow(path, at));
    const [first] = groups;
    const isNearlyAll = first !== undefined && first.unpacked > total * NEARLY_ALL;
    if (!isNearlyAll || !first.name.endsWith('/') || first.name === top) return groups;
    const inner = groupsBy(
      files.filter(({ path }) => path.startsWith(first.name)),
      ({ path }) => topBelow(path, first.name),
    );
    if (inner.length > MOST_FOLDERS) return groups;
    top = first.name;
  }
}

const NEARLY_ALL = 0.9;
const MOST_FOLDERS = 200;

/** The folder or file right below an opened folder, or at the top. */
function topBelow(path: string, opened: string): string {
  const from = path.startsWith(opened) ? opened.length : 0;
  const slash = path.indexOf('/', from);
  return slash < 0 ? path : path.slice(0, slash + 1);
}

/** Where parts lie, in the terms of the form. */
export function placeGroups(parts: readonly Part[], form: FormFacts): Group[] {
  if (parts.some(({ section }) => section !== undefined))
    return groupsBy(parts, ({ section, path }) => section ?? path);
  if (form.places === 'package')
    return groupsBy(parts, ({ path, owner }) => (owner.kind === 'frame' ? undefined : `${folderOf(path)}/`));
  return folderGroups(parts);
}

/** Parts by what they are: code, native code, data, metadata, and the form itself. */
export function kindGroups(parts: readonly Part[]): Group[] {
  const found = groupsBy(parts, ({ kind, owner }) => (owner.kind === 'frame' ? 'frame' : kind));
  const order: readonly string[] = [...KINDS_OF_PART, 'frame'];
  return found.sort((a, b) => order.indexOf(a.name) - order.indexOf(b.name));
}

/** @param by who asks for a package, by its key */
export function dependencyGroups(
  parts: readonly Part[],
  graph: ReasonGraph | undefined,
  by: (key: string) => readonly string[] | undefined,
): DependencyGroup[] {
  const weighing = graph === undefined ? undefined : new Alone(parts, graph);
  return [...groupBy(parts, ({ owner }) => owner.key)]
    .map(([key, all]): DependencyGroup => {
      const [{ owner }] = all;
      const group = { key, name: owner.title, kind: owner.kind, files: all.length, ...weightOf(all) };
      const askers = by(key);
      if (owner.kind !== 'package') return group;
      return { ...group, ...weighing?.of(key), ...(askers !== undefined && { by: askers }) };
    })
    .sort((a, b) => rank(a) - rank(b) || (b.alone ?? b).unpacked - (a.alone ?? a).unpacked || byWeight(a, b));
}

/** Dependencies and the function's own come before what the form needs. */
function rank({ kind }: DependencyGroup): number {
  return kind === 'frame' ? 2 : kind === 'made' ? 1 : 0;
}

/** What goes with a package, and what it leads to that stays all the same. */
class Alone {
  readonly #graph: ReasonGraph;
  readonly #rows: ReadonlyMap<string, readonly number[]>;
  readonly #weights: readonly Weight[];

  constructor(parts: readonly Part[], graph: ReasonGraph) {
    this.#graph = graph;
    this.#rows = rowsByOwner(graph);
    const weights = graph.rows.map(() => NOTHING);
    for (const part of parts) if (part.row !== undefined) weights[part.row] = plus(weights[part.row] ?? NOTHING, part);
    this.#weights = weights;
  }

  of(key: string): Pick<DependencyGroup, 'alone' | 'shared'> {
    const graph = this.#graph;
    const stays = withoutPackage(graph, key);
    const reached = this.#reachedFrom(key);
    const [gone, shared]: Weight[][] = [[], []];
    for (const [row, weight] of this.#weights.entries()) {
      const node = graph.nodeOfRow(row);
      if (!stays(node)) gone?.push(weight);
      else if (reached(node)) shared?.push(weight);
    }
    return { alone: weightOf(gone ?? []), shared: weightOf(shared ?? []) };
  }

  #reachedFrom(key: string): (node: number) => boolean {
    const { size, next } = this.#graph;
    const starts = [this.#graph.nodeOfPackage(key) ?? 0, ...(this.#rows.get(key) ?? []).map((row) => row + 1)];
    const steps = stepsFromRoot({ size, next: [starts, ...next.slice(1)] });
    return (node) => steps[node] !== -1;
  }
}
