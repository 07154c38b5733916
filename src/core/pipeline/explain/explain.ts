/** Why files and packages are in an artifact: the ways to each, from the entry on, as the waybill has them. */
import { shortestWays } from '../../base/flow-graph';
import { comparePaths } from '../../base/paths';
import { present } from '../../base/present';
import { reasonGraph, type ReasonGraph, type Waybill, type WaybillFile } from '../../waybill';

/** One step of a chain: a file, or a package that all of its own hangs by. */
export interface ChainLink {
  readonly kind: 'file' | 'package';
  /** Path of the file; name and version of the package. */
  readonly path: string;
  /** The line of the file before it that asks for it, where that is known. */
  readonly line?: number;
  /** Of files: why it is there by itself, and where it comes from. */
  readonly reason?: WaybillFile['reason'];
  readonly origin?: WaybillFile['origin'];
}

export interface Explained {
  readonly path: string;
  readonly size: number;
  /** The linked file that it is in; undefined for a file of its own. */
  readonly inside?: string;
  /** The shortest, from the first that is known to the file itself. */
  readonly chain: readonly ChainLink[];
  /** One through everybody who asks for it, the shortest first; only where all were asked for. */
  readonly chains?: readonly (readonly ChainLink[])[];
}

export interface ExplainedPackage {
  readonly name: string;
  readonly version: string;
  /** Bytes, unpacked, of its files that are there. */
  readonly size: number;
  readonly files: number;
  /** Who asks for it. */
  readonly by: readonly string[];
  readonly chain: readonly ChainLink[];
}

export interface ExplainRequest {
  /** Which paths are asked about. */
  readonly matches: (path: string) => boolean;
  readonly all: boolean;
}

/** More ways than this to one file are told by their number. */
export const MOST_CHAINS = 100;

/** The chain from the entry to each file that matches; with `all` one through everybody who asks for it. */
export function explain(waybill: Waybill, { matches, all }: ExplainRequest): Explained[] {
  const finder = new ChainFinder(waybill);
  const files = waybill.files.map(({ path, size }, row) => ({ path, size, row }));
  const modules = waybill.modules.map(({ path, size, inside }, i) => {
    return { path, size, inside: inside.file, row: waybill.files.length + i };
  });
  return [...files, ...modules]
    .filter(({ path }) => matches(path))
    .sort((a, b) => comparePaths(a.path, b.path))
    .map(({ row, ...one }) => ({
      ...one,
      chain: finder.shortest(finder.nodeOfRow(row)),
      ...(all && { chains: finder.through(finder.nodeOfRow(row)) }),
    }));
}

/** Packages of that name, in whatever versions they are there. */
export function explainPackages(waybill: Waybill, isAsked: (name: string) => boolean): ExplainedPackage[] {
  const asked = waybill.packages.filter(({ name }) => isAsked(name));
  if (asked.length === 0) return [];
  const finder = new ChainFinder(waybill);
  return asked.map(({ name, version, by }) => {
    const { node, size, files } = finder.package(name, version);
    return { name, version, size, files, by: [...by], chain: node === undefined ? [] : finder.shortest(node) };
  });
}

class ChainFinder {
  readonly #graph: ReasonGraph;
  readonly #waybill: Waybill;
  /** The node before each on the shortest way; −1 where there is none. */
  readonly #before: Int32Array;
  #askers: ReadonlyMap<number, readonly number[]> | undefined;

  constructor(waybill: Waybill) {
    this.#waybill = waybill;
    this.#graph = reasonGraph(waybill);
    this.#before = shortestWays(this.#graph);
  }

  nodeOfRow(row: number): number {
    return this.#graph.nodeOfRow(row);
  }

  package(
    name: string,
    version: string,
  ): { readonly node: number | undefined; readonly size: number; readonly files: number } {
    const rows = [...this.#graph.owners.entries()].filter(([, one]) => one.name === name && one.version === version);
    const [[, owner] = []] = rows;
    const size = rows.reduce((sum, [row]) => sum + (this.#graph.rows[row]?.size ?? 0), 0);
    return { node: owner === undefined ? undefined : this.#graph.nodeOfPackage(owner.key), size, files: rows.length };
  }

  shortest(node: number): ChainLink[] {
    const nodes: number[] = [];
    for (let at = node; at > 0; at = this.#before[at] ?? -1) nodes.unshift(at);
    return this.#links(nodes);
  }

  /** The shortest way to everybody who asks for it, and from there to it. */
  through(node: number): ChainLink[][] {
    const chains = this.#askersOf(node).map((asker) => {
      const nodes = [node];
      for (let at = asker; at > 0; at = this.#before[at] ?? -1) nodes.unshift(at);
      return nodes;
    });
    // A way that passes it already leads on from it.
    const ways = chains.filter((nodes) => nodes.indexOf(node) === nodes.length - 1);
    const sorted = ways.sort((a, b) => a.length - b.length).map((nodes) => this.#links(nodes));
    return sorted.length === 0 ? [this.shortest(node)] : sorted;
  }

  /** Nodes that lead to one; those who ask for what is kept together each by themselves. */
  #askersOf(node: number): readonly number[] {
    this.#askers ??= askersIn(this.#graph);
    const all = this.#askers.get(node) ?? [];
    return all.flatMap((one) => (this.#graph.of(one).is === 'together' ? [one, ...this.#othersFor(one)] : [one]));
  }

  /** Everybody else who asks for the same; the shortest way leads through the first. */
  #othersFor(together: number): readonly number[] {
    const first = this.#before[together];
    return (this.#askers?.get(together) ?? []).filter((one) => one !== first);
  }

  #links(nodes: readonly number[]): ChainLink[] {
    const links: ChainLink[] = [];
    let line: number | undefined;
    for (const [i, node] of nodes.entries()) {
      line = this.#graph.lineBetween(nodes[i - 1] ?? 0, node) ?? (this.#isPassedOver(nodes[i - 1]) ? line : undefined);
      const link = this.#link(node);
      if (link !== undefined) links.push({ ...link, ...present({ line }) });
    }
    return links;
  }

  #isPassedOver(node: number | undefined): boolean {
    return node !== undefined && this.#graph.of(node).is === 'together';
  }

  #link(node: number): ChainLink | undefined {
    const of = this.#graph.of(node);
    if (of.is === 'row') {
      const { path, reason, origin } = this.#graph.rows[of.row] ?? {};
      return path === undefined ? undefined : { kind: 'file', path, ...present({ reason, origin }) };
    }
    if (of.is !== 'package') return undefined;
    const owner = this.#graph.owners.find(({ key }) => key === of.key);
    const version = owner?.version ?? this.#waybill.packages.find(({ name }) => name === owner?.name)?.version;
    return { kind: 'package', path: [owner?.name ?? of.key, ...(version === undefined ? [] : [version])].join(' ') };
  }
}

function askersIn({ next }: ReasonGraph): ReadonlyMap<number, readonly number[]> {
  const askers = new Map<number, number[]>();
  for (const [node, all] of next.entries())
    for (const to of all) {
      const known = askers.get(to);
      if (known === undefined) askers.set(to, [node]);
      else known.push(node);
    }
  return askers;
}
