/** Proving that artifacts come out the same in other surroundings. */
export { filesToCopy } from './files-to-copy';
export { prove, type ProofDifference, type ProofLine, type Rebuild } from './prove';
export { VARIATIONS, type Variation } from './variations';
