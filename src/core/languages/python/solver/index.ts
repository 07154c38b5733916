/** The version solver. */
export type { Ask, Cause } from './incompatibility';
export { solve, type Need, type NeedsOf, type Solution, type SolverSource } from './solver';
export { membersOf, setWhere } from './term';
