import { dominatedWeights, dominators, stepsFromRoot, type FlowGraph } from './flow-graph';

const graph = (...next: number[][]): FlowGraph => ({ size: next.length, next });

/** Every node that, when it is taken away, cuts another off dominates it: the definition, tried for each. */
function byDefinition(one: FlowGraph): number[][] {
  const reached = stepsFromRoot(one);
  return Array.from({ length: one.size }, (_, node) => {
    if (reached[node] === -1) return [];
    const isCut = (by: number): boolean =>
      by !== node && reached[by] !== -1 && stepsFromRoot(one, (at) => at === by)[node] === -1;
    return Array.from({ length: one.size }, (__, by) => by).filter(isCut);
  });
}

function allAbove(idom: Int32Array, node: number): number[] {
  const found: number[] = [];
  for (let at = idom[node] ?? -1; at >= 0; at = idom[at] ?? -1) found.push(at);
  return found.sort((a, b) => a - b);
}

describe('dominators', () => {
  it('of a fork that joins again is the fork', () =>
    expect([...dominators(graph([1, 2], [3], [3], [4], [3]))]).toEqual([-1, 0, 0, 0, 3]));

  it('leave out what is not reached', () => expect([...dominators(graph([1], [], [1]))]).toEqual([-1, 0, -1]));

  it('of nothing are none', () => expect([...dominators(graph())]).toEqual([]));

  it('are those whose absence cuts a node off, in graphs of every kind', () => {
    let seed = 7;
    const random = (below: number): number => (seed = (seed * 1_103_515_245 + 12_345) % 2 ** 31) % below;
    for (let round = 0; round < 60; round++) {
      const size = 2 + random(14);
      const next = Array.from({ length: size }, () => Array.from({ length: random(4) }, () => random(size)));
      const one = { size, next };
      const idom = dominators(one);
      expect(Array.from({ length: size }, (_, node) => allAbove(idom, node))).toEqual(byDefinition(one));
    }
  });

  it('of a very long chain are found without a deep stack', () => {
    const size = 200_000;
    const chain = { size, next: Array.from({ length: size }, (_, i) => (i + 1 < size ? [i + 1] : [])) };
    expect(dominators(chain)[size - 1]).toBe(size - 2);
    expect(dominatedWeights(chain, dominators(chain), () => 1)[0]).toBe(size);
  });
});

it('weights sum up what would go with each node', () => {
  const one = graph([1, 2], [3], [3, 4], [], []);
  expect([...dominatedWeights(one, dominators(one), (node) => 2 ** node)]).toEqual([31, 2, 20, 8, 16]);
});
