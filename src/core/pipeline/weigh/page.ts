/** What the page of weights shows of an artifact: the tree of what would go with what, and the shortest way to each part. */
import { dominators, shortestWays } from '../../base/flow-graph';
import { groupBy } from '../../base/several';
import { present } from '../../base/present';
import type { PageNodes, PageReport } from '../../base/weights-page';
import type { ReasonGraph } from '../../waybill';
import { KINDS_OF_PART, type Part, type Weighed } from './model';

export type ReportExtras = Pick<PageReport, 'remark' | 'findings' | 'growth'>;

/** What the page shows of an artifact: names and numbers, packed closely. */
export function pageReport(weighed: Weighed, extras: ReportExtras): PageReport {
  const { name, arch, artifact, form, sha256, total, files, limits, trimmed, savings, dependencies, parts } = weighed;
  const owners = [...new Set(parts.map(({ owner }) => owner.title))];
  const layers = [...new Set(parts.flatMap(({ layer }) => layer ?? []))];
  return {
    name,
    artifact,
    form,
    total,
    files,
    owners,
    layers,
    limits,
    arch: arch ?? '',
    sha256: sha256 ?? '',
    kinds: [...KINDS_OF_PART],
    nodes: new NodeMaker(weighed, owners, layers).make(),
    dependencies: dependencies.map(({ name: title, kind, files: count, unpacked, packed, alone, shared, by }) => ({
      name: title,
      isPackage: kind === 'package',
      files: count,
      unpacked,
      packed,
      ...present({ alone, shared, by }),
    })),
    trimmed: trimmed.map((one) => ({ name: one.package, by: one.by, size: one.size, files: one.files.length })),
    savings: savings.map(({ what, about, unpacked, line }) => ({ what, about, ...present({ unpacked, line }) })),
    ...extras,
  };
}

interface Node {
  readonly name: string;
  readonly is: number;
  readonly part?: Part;
  /** Node of the graph. */
  readonly at?: number;
  /** Number of the node it would go with, and of that before it on the shortest way; −1 for the root. */
  up: number;
  from: number;
  line?: number;
}

const IS = { root: 0, part: 1, package: 2, group: 3 } as const;

class NodeMaker {
  readonly #weighed: Weighed;
  readonly #owners: ReadonlyMap<string, number>;
  readonly #layers: ReadonlyMap<string, number>;
  readonly #nodes: Node[] = [];
  /** Numbers of nodes by those of the graph, and of groups by what they hold. */
  readonly #byGraph = new Map<number, number>();
  readonly #groups = new Map<string, number>();

  constructor(weighed: Weighed, owners: readonly string[], layers: readonly string[]) {
    this.#weighed = weighed;
    this.#owners = new Map(owners.map((title, i) => [title, i]));
    this.#layers = new Map(layers.map((layer, i) => [layer, i]));
  }

  make(): PageNodes {
    const { graph, name, parts } = this.#weighed;
    this.#nodes.push({ name, is: IS.root, at: 0, up: -1, from: -1 });
    this.#byGraph.set(0, 0);
    if (graph === undefined) for (const part of parts) this.#addLoose(part);
    else this.#addReasoned(graph, parts);
    return this.#columns();
  }

  #addReasoned(graph: ReasonGraph, parts: readonly Part[]): void {
    const known = parts.filter(({ row }) => row !== undefined);
    for (const [row, own] of groupBy(known, (part) => String(part.row))) this.#addRow(graph, Number(row), own);
    this.#addPackages(graph);
    this.#settle(graph);
    for (const part of parts) if (part.row === undefined) this.#addLoose(part);
  }

  /** A file; what is in an executable goes with it, by the source that it comes from. */
  #addRow(graph: ReasonGraph, row: number, parts: readonly Part[]): void {
    const at = graph.nodeOfRow(row);
    const [only, ...others] = parts;
    if (only === undefined) return;
    const number = this.#nodes.length;
    this.#byGraph.set(at, number);
    if (others.length === 0) {
      this.#nodes.push({ name: only.path, is: IS.part, part: only, at, up: 0, from: 0 });
      return;
    }
    this.#nodes.push({ name: only.inside ?? only.path, is: IS.group, at, up: 0, from: 0 });
    for (const part of parts) {
      const up = this.#group(`${String(number)} ${part.owner.key}`, part.owner.title, number);
      const below = part.source === undefined ? up : this.#group(`${String(up)} ${part.source}`, part.source, up);
      this.#nodes.push({ name: part.path, is: IS.part, part, up: below, from: below });
    }
  }

  #addPackages(graph: ReasonGraph): void {
    const owners = new Map(graph.owners.map((owner) => [owner.key, owner]));
    for (let at = 0; at < graph.size; at++) {
      const node = graph.of(at);
      if (node.is !== 'package') continue;
      const title = owners.get(node.key);
      this.#byGraph.set(at, this.#nodes.length);
      const name = title === undefined ? node.key : [title.name, title.version ?? ''].join(' ').trim();
      this.#nodes.push({ name, is: IS.package, at, up: 0, from: 0 });
    }
  }

  /** Where each hangs. What stands for no part itself is passed over: who leads to it leads to what it leads to. */
  #settle(graph: ReasonGraph): void {
    const idom = dominators(graph);
    const before = shortestWays(graph);
    for (const node of this.#nodes) {
      if (node.at === undefined || node.at === 0) continue;
      node.up = this.#shown(node.at, (at) => idom[at] ?? 0);
      node.from = this.#shown(node.at, (at) => before[at] ?? 0);
      const from = this.#nodes[node.from]?.at;
      const line = from === undefined ? undefined : this.#lineTo(graph, node.at, before);
      if (line !== undefined) node.line = line;
    }
  }

  #shown(at: number, above: (at: number) => number): number {
    for (let next = above(at); ; next = above(next)) {
      const number = this.#byGraph.get(next);
      if (number !== undefined) return number;
      if (next <= 0) return 0;
    }
  }

  #lineTo(graph: ReasonGraph, at: number, before: Int32Array): number | undefined {
    for (let to = at; to > 0; to = before[to] ?? 0) {
      const from = before[to] ?? 0;
      const line = graph.lineBetween(from, to);
      if (line !== undefined) return line;
      if (this.#byGraph.has(from)) return undefined;
    }
    return undefined;
  }

  /** What has no reasons is put together by whose it is. */
  #addLoose(part: Part): void {
    const up = this.#group(`loose ${part.owner.key}`, part.owner.title, 0);
    this.#nodes.push({ name: part.path, is: IS.part, part, up, from: up });
  }

  #group(key: string, name: string, up: number): number {
    const known = this.#groups.get(key);
    if (known !== undefined) return known;
    const number = this.#nodes.length;
    this.#groups.set(key, number);
    this.#nodes.push({ name, is: IS.group, up, from: up });
    return number;
  }

  #columns(): PageNodes {
    const { shared, rest } = frontCoded(this.#nodes.map(({ name }) => name));
    const column = (of: (node: Node) => number): number[] => this.#nodes.map(of);
    const lines = this.#nodes.flatMap(({ line }, i) => (line === undefined ? [] : [[String(i), line] as const]));
    return {
      shared,
      rest,
      up: column(({ up }) => up),
      from: column(({ from }) => from),
      lines: Object.fromEntries(lines),
      is: column(({ is }) => is),
      unpacked: column(({ part }) => part?.unpacked ?? 0),
      packed: column(({ part }) => part?.packed ?? 0),
      kind: column(({ part }) => (part === undefined ? -1 : KINDS_OF_PART.indexOf(part.kind))),
      owner: column(({ part }) => this.#owners.get(part?.owner.title ?? '') ?? -1),
      layer: column(({ part }) => this.#layers.get(part?.layer ?? '') ?? -1),
    };
  }
}

/** Names in which the beginning that each has of the one before it is left out. */
function frontCoded(names: readonly string[]): { shared: number[]; rest: string[] } {
  let before = '';
  const [shared, rest]: [number[], string[]] = [[], []];
  for (const name of names) {
    let same = 0;
    while (same < before.length && same < name.length && before[same] === name[same]) same += 1;
    // Not between the two halves of a character.
    if (/[\ud800-\udbff]/.test(name[same - 1] ?? '')) same -= 1;
    shared.push(same);
    rest.push(name.slice(same));
    before = name;
  }
  return { shared, rest };
}
