/** What has been decided and derived so far, in order, so that it can be taken back. */
import type { Incompatibility } from './incompatibility';
import { intersect, negate, relate, type Relation, type Term } from './term';

export interface Assignment {
  readonly term: Term;
  readonly level: number;
  /** What it was derived from; a decision has none. */
  readonly cause?: Incompatibility;
}

/** The level of the first decision, which is the function itself and is never taken back. */
const ROOT_LEVEL = 1;

export class PartialSolution {
  readonly #assignments: Assignment[] = [];
  readonly #known = new Map<string, Term>();
  /** The bit of the version chosen. */
  readonly #decisions = new Map<string, bigint>();
  #level = 0;

  get level(): number {
    return this.#level;
  }

  get decisions(): ReadonlyMap<string, bigint> {
    return this.#decisions;
  }

  decide(name: string, version: bigint): void {
    this.#level += 1;
    this.#decisions.set(name, version);
    this.#assign({ term: { name, positive: true, set: version }, level: this.#level });
  }

  derive(term: Term, cause: Incompatibility): void {
    this.#assign({ term, level: this.#level, cause });
  }

  known(name: string): Term | undefined {
    return this.#known.get(name);
  }

  relate(term: Term): Relation {
    return relate(this.#known.get(term.name), term);
  }

  /** Packages that must be chosen and are not yet, with the versions that are left. */
  undecided(): Term[] {
    return [...this.#known.values()].filter((term) => term.positive && !this.#decisions.has(term.name));
  }

  /** Takes back everything above a level. */
  backtrack(level: number): void {
    const touched = new Set<string>();
    while ((this.#assignments.at(-1)?.level ?? -1) > level) {
      const { term, cause } = this.#assignments.pop() ?? raise();
      touched.add(term.name);
      if (cause === undefined) this.#decisions.delete(term.name);
    }
    this.#level = level;
    for (const name of touched) this.#known.delete(name);
    for (const { term } of this.#assignments) if (touched.has(term.name)) this.#learn(term);
  }

  /**
   * The first assignment by which, with those before it, an incompatibility was satisfied, the term of it that did so,
   * and the level below which it was not.
   */
  satisfierOf(incompatibility: Incompatibility): {
    readonly satisfier: Assignment;
    readonly term: Term;
    readonly previousLevel: number;
    /** What has to hold besides the satisfier to make the term true, where that alone does not. */
    readonly besides?: Term;
  } {
    let latest: { at: number; term: Term } | undefined;
    for (const term of incompatibility.terms.values()) {
      const at = this.#satisfiedAt(term);
      if (latest === undefined || at > latest.at) latest = { at, term };
    }
    if (latest === undefined) return raise();
    const satisfier = this.#assignments[latest.at] ?? raise();
    const { term } = latest;
    let previousLevel = ROOT_LEVEL;
    for (const other of incompatibility.terms.values())
      if (other !== term)
        previousLevel = Math.max(previousLevel, this.#assignments[this.#satisfiedAt(other)]?.level ?? 0);
    if (relate(satisfier.term, term) === 'satisfied') return { satisfier, term, previousLevel };
    // The satisfier needs earlier assignments of the same package to make the term true.
    const besides = negate(intersect(satisfier.term, negate(term)));
    const before = this.#assignments[this.#satisfiedAt(besides)]?.level ?? 0;
    return { satisfier, term, previousLevel: Math.max(previousLevel, before), besides };
  }

  #satisfiedAt(term: Term): number {
    let known: Term | undefined;
    for (const [at, assignment] of this.#assignments.entries()) {
      if (assignment.term.name !== term.name) continue;
      known = known === undefined ? assignment.term : intersect(known, assignment.term);
      if (relate(known, term) === 'satisfied') return at;
    }
    return raise();
  }

  #assign(assignment: Assignment): void {
    this.#assignments.push(assignment);
    this.#learn(assignment.term);
  }

  #learn(term: Term): void {
    const before = this.#known.get(term.name);
    this.#known.set(term.name, before === undefined ? term : intersect(before, term));
  }
}

function raise(): never {
  throw new Error('the solver lost track of what it assigned');
}
