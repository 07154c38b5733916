/**
 * Finds versions that fit together, or the facts that make it impossible: unit propagation with learning from conflicts
 * (the version solving algorithm published as PubGrub).
 */
import { factsBehind, incompatibility, resolveAt, type Ask, type Cause, type Incompatibility } from './incompatibility';
import { PartialSolution } from './partial-solution';
import { membersOf, negate, type Term } from './term';

/** One thing that a version asks for: a package in one of some of its versions. */
export interface Need {
  readonly name: string;
  readonly set: bigint;
  readonly what: string;
}

export type NeedsOf =
  { readonly kind: 'needs'; readonly needs: readonly Need[] } | { readonly kind: 'unusable'; readonly why: string };

export interface SolverSource {
  /** What the function asks for. */
  readonly root: readonly (Need & { readonly by: string })[];
  /** What a version of a package asks for. */
  needsOf(name: string, version: number): Promise<NeedsOf>;
  /** The best version among those left, or why there is none. */
  choose(name: string, set: bigint): { readonly version: number } | { readonly why: string };
  /** The text of a version, for explanations. */
  versionText(name: string, version: number): string;
}

export type Solution =
  | { readonly kind: 'solved'; readonly versions: ReadonlyMap<string, number> }
  | { readonly kind: 'impossible'; readonly facts: readonly Cause[] };

const ROOT = '';
/** More rounds than any real set of packages takes; reached only by sets made to keep a solver busy. */
const MAX_ROUNDS = 100_000;

/** Settles versions, each package once; what cannot be settled comes with its reasons. */
export async function solve(source: SolverSource): Promise<Solution> {
  return new Solver(source).run();
}

class Solver {
  readonly #source: SolverSource;
  readonly #solution = new PartialSolution();
  readonly #byName = new Map<string, Incompatibility[]>();
  readonly #expanded = new Set<string>();
  /** For each package, one incompatibility for all versions that cannot be chosen whatever else is. */
  readonly #excluded = new Map<string, Incompatibility>();

  constructor(source: SolverSource) {
    this.#source = source;
  }

  async run(): Promise<Solution> {
    const root: Term = { name: ROOT, positive: true, set: 1n };
    for (const { by, name, set, what } of this.#source.root)
      this.#add(incompatibility(clash(root, { name, set, what }), { kind: 'asks', ask: { by, what } }));
    this.#solution.decide(ROOT, 1n);
    let changed = ROOT;
    for (let round = 0; round < MAX_ROUNDS; round++) {
      const conflict = this.#propagate(changed);
      if (conflict !== undefined) return { kind: 'impossible', facts: factsBehind(conflict) };
      const next = await this.#decide();
      if (next === undefined) return { kind: 'solved', versions: this.#chosen() };
      changed = next;
    }
    return {
      kind: 'impossible',
      facts: [{ kind: 'none', name: '', why: `no answer after ${String(MAX_ROUNDS)} rounds` }],
    };
  }

  /** Derives what follows from what is known; gives what makes everything impossible, if anything does. */
  #propagate(from: string): Incompatibility | undefined {
    const changed = [from];
    for (let name = changed.pop(); name !== undefined; name = changed.pop()) {
      // The newest first: what was learnt last cuts most.
      const known = [...(this.#byName.get(name) ?? [])].reverse();
      for (const one of known) {
        const verdict = this.#propagateOne(one);
        if (verdict === undefined) continue;
        if (verdict.kind === 'derived') {
          changed.push(verdict.name);
          continue;
        }
        const learnt = this.#resolveConflict(one);
        if (isFinal(learnt)) return learnt;
        const after = this.#propagateOne(learnt);
        changed.length = 0;
        if (after?.kind === 'derived') changed.push(after.name);
        break;
      }
    }
    return undefined;
  }

  #propagateOne(
    one: Incompatibility,
  ): { readonly kind: 'conflict' } | { readonly kind: 'derived'; readonly name: string } | undefined {
    let open: Term | undefined;
    for (const term of one.terms.values()) {
      const relation = this.#solution.relate(term);
      if (relation === 'contradicted') return undefined;
      if (relation === 'satisfied') continue;
      if (open !== undefined) return undefined;
      open = term;
    }
    if (open === undefined) return { kind: 'conflict' };
    this.#solution.derive(negate(open), one);
    return { kind: 'derived', name: open.name };
  }

  /** Goes back to the decision that made a conflict unavoidable, with an incompatibility that says so. */
  #resolveConflict(conflict: Incompatibility): Incompatibility {
    let one = conflict;
    let isNew = false;
    while (!isFinal(one)) {
      const { satisfier, term, previousLevel, besides } = this.#solution.satisfierOf(one);
      if (satisfier.cause === undefined || previousLevel < satisfier.level) {
        this.#solution.backtrack(previousLevel);
        if (isNew) this.#add(one);
        return one;
      }
      one = resolveAt(term.name, one, satisfier.cause, besides);
      isNew = true;
    }
    return one;
  }

  /** Chooses a version of one more package; undefined when there is none left to choose for. */
  async #decide(): Promise<string | undefined> {
    const undecided = this.#solution.undecided();
    const [first] = undecided;
    if (first === undefined) return undefined;
    // The fewest versions left first; then by name, so that the order of answers from the network does not matter.
    const count = (term: Term): number => membersOf(term.set).length;
    const counts = new Map(undecided.map((term) => [term, count(term)]));
    const term = undecided.reduce((a, b) => {
      const difference = (counts.get(a) ?? 0) - (counts.get(b) ?? 0);
      return difference < 0 || (difference === 0 && a.name < b.name) ? a : b;
    }, first);
    const choice = this.#source.choose(term.name, term.set);
    if ('why' in choice) {
      this.#add(this.#noneLeft(term, choice.why));
      return term.name;
    }
    await this.#choose(term.name, choice.version);
    return term.name;
  }

  async #choose(name: string, version: number): Promise<void> {
    const bit = 1n << BigInt(version);
    const self: Term = { name, positive: true, set: bit };
    const text = this.#source.versionText(name, version);
    const mark = `${name}\0${String(version)}`;
    if (!this.#expanded.has(mark)) {
      this.#expanded.add(mark);
      const found = await this.#source.needsOf(name, version);
      if (found.kind === 'unusable') {
        this.#add(incompatibility([self], { kind: 'unusable', name, version: text, why: found.why }));
        return;
      }
      for (const need of found.needs) {
        // A package that asks for its own version asks for nothing.
        if (need.name === name && (need.set & bit) !== 0n) continue;
        const ask: Ask = { by: name, byVersion: text, what: need.what };
        this.#add(incompatibility(clash(self, need), { kind: 'asks', ask }));
      }
    }
    const news = this.#byName.get(name) ?? [];
    const clashes = news.some(
      (one) =>
        [...one.terms.values()].every((term) => term.name === name || this.#solution.relate(term) === 'satisfied') &&
        one.terms.get(name)?.positive === true &&
        ((one.terms.get(name)?.set ?? 0n) & bit) !== 0n,
    );
    // What clashes right away is left to propagation, which then learns from it.
    if (!clashes) this.#solution.decide(name, bit);
  }

  /** None of the versions that are left, nor of those that were excluded before. */
  #noneLeft(term: Term, why: string): Incompatibility {
    const none = incompatibility([term], { kind: 'none', name: term.name, why });
    const before = this.#excluded.get(term.name);
    return before === undefined ? none : joined(term.name, before, none);
  }

  #add(one: Incompatibility): void {
    const [only, other] = [...one.terms.values()];
    if (only !== undefined && other === undefined && only.positive && only.name !== ROOT) {
      this.#exclude(only.name, one);
      return;
    }
    for (const name of one.terms.keys()) {
      const known = this.#byName.get(name) ?? [];
      known.push(one);
      this.#byName.set(name, known);
    }
  }

  /** Thousands of versions may be excluded one by one; kept apart, each would be looked at for every other. */
  #exclude(name: string, one: Incompatibility): void {
    const before = this.#excluded.get(name);
    const both = before === undefined ? one : joined(name, before, one);
    this.#excluded.set(name, both);
    const others = (this.#byName.get(name) ?? []).filter((known) => known !== before);
    this.#byName.set(name, [...others, both]);
  }

  #chosen(): Map<string, number> {
    const chosen = new Map<string, number>();
    for (const [name, set] of this.#solution.decisions) {
      const [version] = membersOf(set);
      if (name !== ROOT && version !== undefined) chosen.set(name, version);
    }
    return chosen;
  }
}

/** What cannot be when `self` is there: that its need is not met. Nothing meets an empty one, or one for another self. */
function clash(self: Term, { name, set }: Need): Term[] {
  return set === 0n || name === self.name ? [self] : [self, { name, positive: false, set }];
}

/** Versions of one package that two incompatibilities exclude. */
function joined(name: string, first: Incompatibility, second: Incompatibility): Incompatibility {
  const set = (first.terms.get(name)?.set ?? 0n) | (second.terms.get(name)?.set ?? 0n);
  return incompatibility([{ name, positive: true, set }], { kind: 'derived', first, second });
}

/** Nothing but the function itself is left to give way. */
function isFinal({ terms }: Incompatibility): boolean {
  const names = [...terms.keys()];
  return names.length === 0 || (names.length === 1 && names[0] === ROOT && terms.get(ROOT)?.positive === true);
}
