/** The nodes of a report, and the same parts arranged in other ways. */
import type { PageReport } from '../../core/base/weights-page';

export type Arrangement = 'reasons' | 'dependency' | 'folder' | 'kind' | 'layer';
export type Measure = 'unpacked' | 'packed';

export interface Block {
  readonly name: string;
  /** Node of the report; undefined for what only this arrangement has. */
  readonly node?: number;
  readonly children: Block[];
  /** Bytes of its own, without its children. */
  readonly own: number;
  /** Kind of content, an index; −1 for what holds others. */
  readonly kind: number;
}

/** Names of all nodes. */
export function namesOf({ nodes: { shared, rest } }: PageReport): string[] {
  let before = '';
  return rest.map((end, i) => (before = before.slice(0, shared[i]) + end));
}

/** The arrangements that a report can be shown in: layers only where there are several. */
export function arrangementsOf(report: PageReport): Arrangement[] {
  return ['reasons', 'dependency', 'folder', 'kind', ...(report.layers.length > 1 ? (['layer'] as const) : [])];
}

export class Tree {
  readonly report: PageReport;
  readonly names: readonly string[];
  readonly #made = new Map<string, Block>();

  constructor(report: PageReport) {
    this.report = report;
    this.names = namesOf(report);
  }

  /** The root of an arrangement. */
  root(by: Arrangement, measure: Measure): Block {
    const key = `${by} ${measure}`;
    const known = this.#made.get(key) ?? (by === 'reasons' ? this.#reasons(measure) : this.#digitGroups(by, measure));
    this.#made.set(key, known);
    return known;
  }

  /** Nodes on the shortest way from the root to one, itself the last. */
  chain(node: number): number[] {
    const { from } = this.report.nodes;
    const found: number[] = [];
    for (let at = node; at >= 0 && !found.includes(at) && found.length < MOST_STEPS; at = from[at] ?? -1)
      found.unshift(at);
    return found;
  }

  isPart(node: number): boolean {
    return (this.report.nodes.kind[node] ?? -1) >= 0;
  }

  #reasons(measure: Measure): Block {
    const { up, kind } = this.report.nodes;
    const weights = this.report.nodes[measure];
    const blocks = this.names.map((name, node): Block => {
      return { name, node, children: [], own: weights[node] ?? 0, kind: kind[node] ?? -1 };
    });
    for (const [node, block] of blocks.entries()) {
      const above = blocks[up[node] ?? -1];
      if (above !== undefined && above !== block) above.children.push(block);
    }
    return blocks[0] ?? { name: this.report.name, children: [], own: 0, kind: -1 };
  }

  #digitGroups(by: Exclude<Arrangement, 'reasons'>, measure: Measure): Block {
    const root: Block = { name: this.report.name, node: 0, children: [], own: 0, kind: -1 };
    const folders = new Map<string, Block>([['', root]]);
    const folder = (path: readonly string[]): Block => {
      const key = path.join('\0');
      const known = folders.get(key);
      if (known !== undefined) return known;
      const made: Block = { name: path[path.length - 1] ?? '', children: [], own: 0, kind: -1 };
      folders.set(key, made);
      folder(path.slice(0, -1)).children.push(made);
      return made;
    };
    const { kind } = this.report.nodes;
    const weights = this.report.nodes[measure];
    for (const [node, name] of this.names.entries()) {
      if (!this.isPart(node)) continue;
      const steps = name.split('/').filter(Boolean);
      const inside = by === 'folder' ? steps.slice(0, -1) : [this.#groupOf(by, node)];
      const shown = by === 'folder' ? (steps[steps.length - 1] ?? name) : name;
      folder(inside).children.push({
        name: shown,
        node,
        children: [],
        own: weights[node] ?? 0,
        kind: kind[node] ?? -1,
      });
    }
    return root;
  }

  #groupOf(by: 'dependency' | 'kind' | 'layer', node: number): string {
    const { nodes, owners, kinds, layers } = this.report;
    if (by === 'dependency') return owners[nodes.owner[node] ?? -1] ?? '';
    if (by === 'kind') return kinds[nodes.kind[node] ?? -1] ?? '';
    return layers[nodes.layer[node] ?? -1] ?? 'outside all layers';
  }
}

const MOST_STEPS = 400;
