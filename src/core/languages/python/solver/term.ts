/**
 * Terms of the solver: statements about the version of one package. Sets of versions are bit sets over the list of all
 * versions of the package, bit 0 being the first of the list.
 */

export interface Term {
  readonly name: string;
  /** Positive: the package is chosen, in one of these versions. Negative: it is not chosen in any of these. */
  readonly positive: boolean;
  readonly set: bigint;
}

export type Relation = 'satisfied' | 'contradicted' | 'open';

/** What holds exactly where a term does not. */
export function negate(term: Term): Term {
  return { ...term, positive: !term.positive };
}

/** What holds when both do; both are about the same package. */
export function intersect(a: Term, b: Term): Term {
  if (a.positive && b.positive) return { ...a, set: a.set & b.set };
  if (a.positive) return { ...a, set: a.set & ~b.set };
  if (b.positive) return { ...b, set: b.set & ~a.set };
  return { ...a, set: a.set | b.set };
}

/** Whether `known` makes `term` true, makes it false, or leaves it open. */
export function relate(known: Term | undefined, term: Term): Relation {
  if (known === undefined) return 'open';
  if (isWithin(known, term)) return 'satisfied';
  return isWithin(known, negate(term)) ? 'contradicted' : 'open';
}

function isWithin(a: Term, b: Term): boolean {
  if (a.positive && b.positive) return (a.set & ~b.set) === 0n;
  if (a.positive) return (a.set & b.set) === 0n;
  return !b.positive && (b.set & ~a.set) === 0n;
}

/** The indexes of the members of a set, rising. */
export function membersOf(set: bigint): number[] {
  const members: number[] = [];
  const text = set.toString(2);
  for (let i = text.length - 1; i >= 0; i--) if (text[i] === '1') members.push(text.length - 1 - i);
  return members;
}

/** The set of those indexes below `length` for which `test` holds. */
export function setWhere(length: number, test: (index: number) => boolean): bigint {
  let text = '';
  for (let i = length - 1; i >= 0; i--) text += test(i) ? '1' : '0';
  return text === '' ? 0n : BigInt(`0b${text}`);
}
