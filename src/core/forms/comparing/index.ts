/** How two things are held against each other: what they hold, what differs, and what of that counts. */
export { folderTree, gunzip, isGzip, isTar, isZip, lazyFile, part, tarTree, zipTree } from './archives';
export { Comparing, textThere, type Comparer, type Looked } from './comparing';
export {
  CAUSES,
  type Cause,
  type CauseId,
  type Change,
  type Comparison,
  type Content,
  type Detail,
  type Difference,
  type SideFacts,
  type Tree,
  type TreeEntry,
  type Verdict,
} from './model';
export type { FormSide, FormSides } from './sides';
export { compareTrees, sameStretch, sameUntil } from './trees';
