import { numbers } from '../../../../../test/support/data';
import { setWhere, solve, type SolverSource } from './';

/** Packages by name, each with its versions, newest first, and what each version asks for: `{ a: [{ b: [0, 1] }] }`. */
type World = Readonly<Record<string, readonly Readonly<Record<string, readonly number[]>>[]>>;

function sourceOf(world: World, root: Readonly<Record<string, readonly number[]>>): SolverSource {
  const need = (name: string, versions: readonly number[]) => ({
    name,
    set: setWhere(world[name]?.length ?? 0, (i) => versions.includes(i)),
    what: `${name} in ${versions.join(',')}`,
  });
  return {
    root: Object.entries(root).map(([name, versions]) => ({ ...need(name, versions), by: 'horn' })),
    needsOf: (name, version) =>
      Promise.resolve({
        kind: 'needs',
        needs: Object.entries(world[name]?.[version] ?? {}).map(([other, versions]) => need(other, versions)),
      }),
    choose: (name, set) => {
      const version = (world[name] ?? []).findIndex((_, i) => (set & (1n << BigInt(i))) !== 0n);
      return version < 0 ? { why: 'none left' } : { version };
    },
    versionText: (_name, version) => String(version),
  };
}

/** Tries everything. */
function isPossible(world: World, root: Readonly<Record<string, readonly number[]>>): boolean {
  const names = Object.keys(world);
  const fits = (chosen: ReadonlyMap<string, number>, edges: Readonly<Record<string, readonly number[]>>): boolean =>
    Object.entries(edges).every(([name, versions]) => versions.includes(chosen.get(name) ?? -1));
  const tryFrom = (i: number, chosen: Map<string, number>): boolean => {
    const name = names[i];
    if (name === undefined)
      return fits(chosen, root) && [...chosen].every(([n, v]) => fits(chosen, world[n]?.[v] ?? {}));
    for (let version = -1; version < (world[name]?.length ?? 0); version++) {
      const next = new Map(chosen);
      if (version >= 0) next.set(name, version);
      if (tryFrom(i + 1, next)) return true;
    }
    return false;
  };
  return tryFrom(0, new Map());
}

describe('the version solver', () => {
  it('takes the newest versions that fit together, and nothing that nobody asks for', async () => {
    const world = { a: [{ b: [1] }, {}], b: [{}, { c: [0] }], c: [{}, {}], d: [{}] };
    const solution = await solve(sourceOf(world, { a: [0, 1] }));
    expect(solution).toEqual({ kind: 'solved', versions: new Map(Object.entries({ a: 0, b: 1, c: 0 })) });
  });

  it('goes back to the choice that made a conflict', async () => {
    const world = { a: [{ c: [0] }, { c: [1] }], b: [{ c: [1] }], c: [{}, {}] };
    const solution = await solve(sourceOf(world, { a: [0, 1], b: [0] }));
    expect(solution).toEqual({ kind: 'solved', versions: new Map(Object.entries({ a: 1, b: 0, c: 1 })) });
  });

  it('copes with packages that ask for each other or for themselves', async () => {
    const world = { a: [{ b: [0] }], b: [{ a: [0], b: [0] }], c: [{ c: [1] }, {}] };
    const solution = await solve(sourceOf(world, { a: [0], c: [0, 1] }));
    expect(solution).toEqual({ kind: 'solved', versions: new Map(Object.entries({ a: 0, b: 0, c: 1 })) });
  });

  it('names the facts that make it impossible, and no others', async () => {
    const world = { a: [{ c: [0] }], b: [{ c: [1] }], c: [{}, {}], d: [{}] };
    const solution = await solve(sourceOf(world, { a: [0], b: [0], d: [0] }));
    const facts = solution.kind === 'impossible' ? solution.facts : [];
    const edges = facts.flatMap((fact) => (fact.kind === 'asks' ? [`${fact.ask.by}: ${fact.ask.what}`] : []));
    expect(edges.sort()).toEqual(['a: c in 0', 'b: c in 1', 'horn: a in 0', 'horn: b in 0']);
  });

  it('gives up on thousands of versions that all fail alike', async () => {
    const world = { a: Array.from({ length: 2000 }, () => ({ b: [] })), b: [{}] };
    const solution = await solve(sourceOf(world, { a: Array.from({ length: 2000 }, (_, i) => i) }));
    expect([solution.kind, solution.kind === 'impossible' && solution.facts.length]).toEqual(['impossible', 2001]);
  });

  it('agrees with trying everything, for random packages', async () => {
    for (let seed = 1; seed <= 400; seed++) {
      const next = numbers(seed);
      const names = ['a', 'b', 'c', 'd', 'e'].slice(0, 2 + next(4));
      const some = (length: number): number[] => Array.from({ length }, (_, i) => i).filter(() => next(3) > 0);
      const sizes = new Map(names.map((name) => [name, 1 + next(3)]));
      const edges = (share: number) =>
        Object.fromEntries(names.filter(() => next(100) < share).map((name) => [name, some(sizes.get(name) ?? 0)]));
      const world = Object.fromEntries(
        names.map((name) => [name, Array.from({ length: sizes.get(name) ?? 0 }, () => edges(45))]),
      );
      const root = edges(60);
      const solution = await solve(sourceOf(world, root));
      expect([seed, solution.kind === 'solved']).toEqual([seed, isPossible(world, root)]);
      if (solution.kind !== 'solved') continue;
      const fits = (needs: Readonly<Record<string, readonly number[]>>): boolean =>
        Object.entries(needs).every(([name, versions]) => versions.includes(solution.versions.get(name) ?? -1));
      const allFit = [...solution.versions].every(([name, version]) => fits(world[name]?.[version] ?? {}));
      expect([seed, fits(root) && allFit]).toEqual([seed, true]);
    }
  });
});
