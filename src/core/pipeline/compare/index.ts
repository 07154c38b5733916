/** What differs between two things, and why. */
export { compare, type Side } from './compare';
export { compareLocks, type LockSide } from './locks';
export {
  CAUSES,
  type Cause,
  type CauseId,
  type Change,
  type Comparison,
  type Detail,
  type Difference,
  type Verdict,
} from '../../forms/comparing';
