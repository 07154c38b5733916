/** Proving that artifacts come out the same in other surroundings, on other machines, and elsewhere. */
export { filesToCopy, type FilesToCopy } from './files-to-copy';
export { LIKELY, type LikelyId, type Place } from './place';
export { prove, type Culprit, type Finding, type Proof, type ProofBuild } from './prove';
export { rebuilder } from './rebuild';
export {
  compareRecords,
  formatRecord,
  proofRecordSchema,
  readProofRecord,
  recordOfProof,
  type ProofRecord,
  type RecordsLine,
  type RecordSide,
} from './record';
export { findMeans, whatLacks } from './start';
export { VARIATIONS, type Variation } from './variations';
