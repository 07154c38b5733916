/** Graphs with one root: what is reached from it, and what only one node leads to. Nodes are numbers from 0; 0 is the root. */

export interface FlowGraph {
  /** How many nodes there are. */
  readonly size: number;
  /** Where each node leads. */
  readonly next: readonly (readonly number[])[];
}

/** The nodes that are reached from the root, and how many steps each is away by the shortest way; -1 for all others. */
export function stepsFromRoot({ size, next }: FlowGraph, without?: (node: number) => boolean): Int32Array {
  const steps = new Int32Array(size).fill(-1);
  if (size === 0 || without?.(0) === true) return steps;
  const open = [0];
  steps[0] = 0;
  for (const node of open)
    for (const to of next[node] ?? [])
      if (steps[to] === -1 && without?.(to) !== true) {
        steps[to] = (steps[node] ?? 0) + 1;
        open.push(to);
      }
  return steps;
}

/** The node before each on the shortest way from the root, the first of several; -1 for the root and what is not reached. */
export function shortestWays(graph: FlowGraph): Int32Array {
  const steps = stepsFromRoot(graph);
  const before = new Int32Array(graph.size).fill(-1);
  for (const [node, all] of graph.next.entries()) {
    const step = steps[node] ?? -1;
    if (step < 0) continue;
    for (const to of all) if (steps[to] === step + 1 && before[to] === -1) before[to] = node;
  }
  return before;
}

/**
 * For each node the one nearest to it that every way from the root to it leads through; -1 for the root and for what is
 * not reached (Cooper, Harvey and Kennedy, "A Simple, Fast Dominance Algorithm", figure 3).
 */
export function dominators(graph: FlowGraph): Int32Array {
  const { order, place } = depthFirst(graph);
  const before = predecessors(graph, place);
  // By place in the order, in which the root is last.
  const idom = new Int32Array(order.length).fill(-1);
  const root = order.length - 1;
  if (root < 0) return new Int32Array(graph.size).fill(-1);
  idom[root] = root;
  for (let changed = true; changed;) {
    changed = false;
    for (let at = root - 1; at >= 0; at--) {
      const found = nearest(
        idom,
        (before[order[at] ?? 0] ?? []).map((one) => place[one] ?? -1),
      );
      if (idom[at] === found) continue;
      idom[at] = found;
      changed = true;
    }
  }
  const result = new Int32Array(graph.size).fill(-1);
  for (let at = 0; at < root; at++) result[order[at] ?? 0] = order[idom[at] ?? root] ?? 0;
  return result;
}

/** Where the ways through all that lead to a node come together, as far as those are known; -1 for none. */
function nearest(idom: Int32Array, places: readonly number[]): number {
  let found = -1;
  for (const from of places) if ((idom[from] ?? -1) !== -1) found = found === -1 ? from : meet(idom, found, from);
  return found;
}

function meet(idom: Int32Array, a: number, b: number): number {
  let [x, y] = [a, b];
  while (x !== y) {
    while (x < y) x = idom[x] ?? y;
    while (y < x) y = idom[y] ?? x;
  }
  return x;
}

/** Nodes in the order in which a walk into the depth leaves them, and the place of each in it. */
function depthFirst({ size, next }: FlowGraph): { readonly order: number[]; readonly place: Int32Array } {
  const place = new Int32Array(size).fill(-1);
  const order: number[] = [];
  if (size === 0) return { order, place };
  const seen = new Uint8Array(size);
  // A stack of its own: chains of imports are deeper than calls may be.
  const stack: [node: number, child: number][] = [[0, 0]];
  seen[0] = 1;
  for (let top = stack.at(-1); top !== undefined; top = stack.at(-1)) {
    const [node, child] = top;
    const to = next[node]?.[child];
    if (to === undefined) {
      place[node] = order.length;
      order.push(node);
      stack.pop();
      continue;
    }
    top[1] += 1;
    if (seen[to] === 1) continue;
    seen[to] = 1;
    stack.push([to, 0]);
  }
  return { order, place };
}

function predecessors({ size, next }: FlowGraph, place: Int32Array): readonly (readonly number[])[] {
  const before: number[][] = Array.from({ length: size }, () => []);
  for (const [node, all] of next.entries()) if (place[node] !== -1) for (const to of all) before[to]?.push(node);
  return before;
}

/** What each node and all that only it leads to weigh together. @param idom as `dominators` gives it */
export function dominatedWeights(graph: FlowGraph, idom: Int32Array, weightOf: (node: number) => number): Float64Array {
  const sums = new Float64Array(graph.size);
  for (const node of leavesFirst(graph, idom)) {
    sums[node] = (sums[node] ?? 0) + weightOf(node);
    const above = idom[node] ?? -1;
    if (above >= 0) sums[above] = (sums[above] ?? 0) + (sums[node] ?? 0);
  }
  return sums;
}

/** Every node behind all that it dominates. */
function leavesFirst({ size }: FlowGraph, idom: Int32Array): number[] {
  const below: number[][] = Array.from({ length: size }, () => []);
  for (let node = 0; node < size; node++) {
    const above = idom[node] ?? -1;
    if (above >= 0) below[above]?.push(node);
  }
  const order = [0];
  for (const node of order) order.push(...(below[node] ?? []));
  return order.reverse();
}
