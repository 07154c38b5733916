/** Terms that cannot all hold, and why. */
import { intersect, type Term } from './term';

/** Something a package asks for. */
export interface Ask {
  /** Who asks: a package in a version, or the function. */
  readonly by: string;
  readonly byVersion?: string;
  /** What is asked for, as written. */
  readonly what: string;
}

export type Cause =
  | { readonly kind: 'root' }
  | { readonly kind: 'asks'; readonly ask: Ask }
  /** No version of the package is in the set. */
  | { readonly kind: 'none'; readonly name: string; readonly why: string }
  | { readonly kind: 'unusable'; readonly name: string; readonly version: string; readonly why: string }
  | { readonly kind: 'derived'; readonly first: Incompatibility; readonly second: Incompatibility };

export interface Incompatibility {
  readonly terms: ReadonlyMap<string, Term>;
  readonly cause: Cause;
}

/** Terms that cannot all hold, those about one package joined. */
export function incompatibility(terms: readonly Term[], cause: Cause): Incompatibility {
  const byName = new Map<string, Term>();
  for (const term of terms) {
    const other = byName.get(term.name);
    byName.set(term.name, other === undefined ? term : intersect(other, term));
  }
  return { terms: byName, cause };
}

/**
 * What follows from two incompatibilities that meet at `name` (the rule of resolution): the other terms of both.
 * @param extra what about `name` has to hold besides
 */
export function resolveAt(
  name: string,
  first: Incompatibility,
  second: Incompatibility,
  extra?: Term,
): Incompatibility {
  const terms = new Map<string, Term>();
  for (const one of [first, second])
    for (const term of one.terms.values()) {
      if (term.name === name) continue;
      const other = terms.get(term.name);
      terms.set(term.name, other === undefined ? term : intersect(other, term));
    }
  if (extra !== undefined) terms.set(extra.name, extra);
  return { terms, cause: { kind: 'derived', first, second } };
}

/** The facts from which an incompatibility was derived, each once, in the order of derivation. */
export function factsBehind(top: Incompatibility): Cause[] {
  const facts: Cause[] = [];
  const seen = new Set<Incompatibility>();
  const open = [top];
  for (let one = open.pop(); one !== undefined; one = open.pop()) {
    if (seen.has(one)) continue;
    seen.add(one);
    if (one.cause.kind === 'derived') open.push(one.cause.second, one.cause.first);
    else if (one.cause.kind !== 'root') facts.push(one.cause);
  }
  return facts;
}
