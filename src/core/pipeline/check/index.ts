/** Holding artifacts against destinations. */
export {
  checkFile,
  checkStanding,
  checkTarget,
  rulesFor,
  stopFindings,
  type CheckedArtifact,
  type CheckedFinding,
  type CheckRequest,
  type RuleOutcome,
  type TargetSurroundings,
} from './check';
export { takenBy } from './taken';
