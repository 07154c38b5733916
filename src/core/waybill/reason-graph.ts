/** The graph of reasons: from the entry to every row of a waybill, by all who ask for it and through the packages it is in. */
import { stepsFromRoot, type FlowGraph } from '../base/flow-graph';
import { groupBy } from '../base/several';
import { lineOf, rowOf, type AskedRow } from './edges';
import { ownersOf, type Owner } from './owners';
import type { Waybill } from './schema';

type WaybillPart = Pick<Waybill, 'files' | 'modules' | 'packages' | 'asks' | 'together'>;
type Row = Waybill['files'][number] | Waybill['modules'][number];

/** What a node stands for. */
export type GraphNode =
  | { readonly is: 'root' }
  | { readonly is: 'row'; readonly row: number }
  | { readonly is: 'package'; readonly key: string }
  | { readonly is: 'together'; readonly at: number };

export interface ReasonGraph extends FlowGraph {
  /** Files, then modules. */
  readonly rows: readonly Row[];
  /** Of each row. */
  readonly owners: readonly Owner[];
  nodeOfRow(row: number): number;
  nodeOfPackage(key: string): number | undefined;
  of(node: number): GraphNode;
  /** The line of the file that asks; undefined where none is known. */
  lineBetween(from: number, to: number): number | undefined;
}

/** Everything in it is reached: what nobody is known to ask for hangs by the root itself. */
export function reasonGraph(waybill: WaybillPart): ReasonGraph {
  return new GraphMaker(waybill).make();
}

class GraphMaker {
  readonly #waybill: WaybillPart;
  readonly #rows: readonly Row[];
  readonly #asks: Waybill['asks'];
  readonly #together: Waybill['together'];
  readonly #owners: readonly Owner[];
  readonly #packages: readonly Owner[];
  readonly #numbers: ReadonlyMap<string, number>;
  readonly #byPath: ReadonlyMap<string, number>;
  readonly #next: number[][];
  /** What each row asks for; made when a line is first wanted. */
  #askedBy: ReadonlyMap<number, readonly AskedRow[]> | undefined;
  /** Rows that some file asks for. */
  readonly #asked = new Set<number>();

  constructor(waybill: WaybillPart) {
    this.#rows = [...waybill.files, ...waybill.modules];
    this.#waybill = waybill;
    // Nobody vouches for the numbers in a waybill.
    const isRow = (one: AskedRow): boolean => rowOf(one) < this.#rows.length;
    this.#asks = waybill.asks.flatMap((one) => (isRow(one.by) ? [{ by: one.by, for: one.for.filter(isRow) }] : []));
    this.#together = waybill.together.map((one) => ({ by: one.by.filter(isRow), for: one.for.filter(isRow) }));
    this.#owners = ownersOf(waybill);
    const packages = this.#owners.filter(({ kind }) => kind === 'package');
    this.#packages = [...new Map(packages.map((owner) => [owner.key, owner])).values()];
    this.#numbers = new Map(this.#packages.map(({ key }, i) => [key, 1 + this.#rows.length + i]));
    this.#byPath = new Map(this.#rows.map(({ path }, i) => [path, i]));
    const size = 1 + this.#rows.length + this.#packages.length + waybill.together.length;
    this.#next = Array.from({ length: size }, () => []);
  }

  make(): ReasonGraph {
    this.#linkAsks();
    const used = this.#linkUsedPackages();
    for (const [row, one] of this.#rows.entries()) this.#linkRow(row, one);
    for (const owner of this.#packages) if (!used.has(owner.key)) this.#linkNeeded(owner);
    this.#linkRest();
    return {
      size: this.#next.length,
      next: this.#next,
      rows: this.#rows,
      owners: this.#owners,
      nodeOfRow: (row) => row + 1,
      nodeOfPackage: (key) => this.#numbers.get(key),
      of: (node) => this.#of(node),
      lineBetween: (from, to) => this.#lineBetween(this.#of(from), this.#of(to)),
    };
  }

  #of(node: number): GraphNode {
    if (node === 0) return { is: 'root' };
    const row = node - 1;
    if (row < this.#rows.length) return { is: 'row', row };
    const at = row - this.#rows.length;
    const owner = this.#packages[at];
    return owner === undefined ? { is: 'together', at: at - this.#packages.length } : { is: 'package', key: owner.key };
  }

  #lineBetween(from: GraphNode, to: GraphNode): number | undefined {
    if (from.is !== 'row' || to.is === 'root' || to.is === 'package') return undefined;
    this.#askedBy ??= new Map(this.#asks.map((one) => [one.by, one.for]));
    const asked =
      to.is === 'row'
        ? this.#askedBy.get(from.row)?.find((one) => rowOf(one) === to.row)
        : this.#together[to.at]?.by.find((one) => rowOf(one) === from.row);
    return asked === undefined ? undefined : lineOf(asked);
  }

  #link(from: number, to: number): void {
    if (from !== to) this.#next[from]?.push(to);
  }

  #linkAsks(): void {
    for (const { by, for: wanted } of this.#asks)
      for (const one of wanted) {
        this.#link(by + 1, rowOf(one) + 1);
        this.#asked.add(rowOf(one));
      }
    const first = 1 + this.#rows.length + this.#packages.length;
    for (const [i, { by, for: wanted }] of this.#together.entries()) {
      for (const one of by) this.#link(rowOf(one) + 1, first + i);
      for (const row of wanted) {
        this.#link(first + i, row + 1);
        this.#asked.add(row);
      }
    }
  }

  /** A package of which some file is asked for from outside is there for it. @returns their keys */
  #linkUsedPackages(): ReadonlySet<string> {
    const used = new Set<string>();
    const keyOf = (row: number): string | undefined => this.#owners[row]?.key;
    const use = (from: number, row: number): void => {
      const key = keyOf(row);
      const to = key === undefined ? undefined : this.#numbers.get(key);
      if (key === undefined || to === undefined || keyOf(from) === key) return;
      used.add(key);
      this.#link(row + 1, to);
    };
    for (const { by, for: wanted } of this.#asks) for (const one of wanted) use(by, rowOf(one));
    for (const { by, for: wanted } of this.#together)
      for (const one of by) for (const row of wanted) use(rowOf(one), row);
    return used;
  }

  #linkRow(row: number, { reason }: Row): void {
    const node = row + 1;
    const owner = this.#owners[row];
    const home = owner === undefined ? undefined : this.#numbers.get(owner.key);
    if (reason.why === 'entry' || reason.why === 'kept') this.#link(0, node);
    else if (home !== undefined && (reason.why === 'needed' || !this.#asked.has(row))) this.#link(home, node);
    else if (!this.#asked.has(row)) this.#link(this.#askerOf(reason) ?? 0, node);
  }

  /** The file that a reason names, where it is one of the artifact; what an image holds stands below a folder in it. */
  #askerOf(reason: Row['reason']): number | undefined {
    if (!('by' in reason) || typeof reason.by !== 'string') return undefined;
    const name = reason.by.replace(/:\d+$/, '');
    const row = this.#byPath.get(reason.by) ?? this.#byPath.get(name);
    return row === undefined ? undefined : row + 1;
  }

  /** A package that is there because it was asked for by name: by other packages, or by the function. */
  #linkNeeded({ key, name, version }: Owner): void {
    const node = this.#numbers.get(key);
    if (node === undefined) return;
    const rows = this.#waybill.packages.filter((one) => one.name === name && one.version === version);
    const named = rows.flatMap(({ by }) => by.map((one) => one.replace(/\[.*$/, '')));
    const askers = named.map((one) => this.#packages.filter((owner) => owner.key !== key && isNamed(owner, one)));
    if (named.length === 0 || askers.some((found) => found.length === 0)) this.#link(0, node);
    for (const owner of askers.flat()) this.#link(this.#numbers.get(owner.key) ?? 0, node);
  }

  /** What goes round in a circle that nothing leads into. */
  #linkRest(): void {
    for (;;) {
      const steps = stepsFromRoot({ size: this.#next.length, next: this.#next });
      const lost = this.#rows.findIndex((_, row) => steps[row + 1] === -1);
      if (lost < 0) return;
      // A whole package at once, so that this takes as many rounds as there are packages, not files.
      const key = this.#owners[lost]?.key;
      const home = key === undefined ? undefined : this.#numbers.get(key);
      if (home !== undefined && steps[home] === -1) this.#link(0, home);
      for (const [row, owner] of this.#owners.entries())
        if (owner.key === key && steps[row + 1] === -1) this.#link(home ?? 0, row + 1);
    }
  }
}

/** Where several versions are there, whoever asks may be told with its own. */
function isNamed({ name, version }: Owner, word: string): boolean {
  return word === name || (version !== undefined && (word === `${name}:${version}` || word === `${name} ${version}`));
}

/** What would be left without a package: whether each node is reached all the same. */
export function withoutPackage(graph: ReasonGraph, key: string): (node: number) => boolean {
  const gone = new Set([graph.nodeOfPackage(key) ?? -1]);
  for (const [row, owner] of graph.owners.entries()) if (owner.key === key) gone.add(graph.nodeOfRow(row));
  const steps = stepsFromRoot(graph, (node) => gone.has(node));
  return (node) => steps[node] !== -1;
}

/** Rows by the key of their owner. */
export function rowsByOwner({ owners }: Pick<ReasonGraph, 'owners'>): ReadonlyMap<string, readonly number[]> {
  return groupBy(
    owners.map((_, row) => row),
    (row) => owners[row]?.key ?? '',
  );
}
