/** Papers of artifacts: whether they belong together, and what a destination wants of them. */
export { keysFrom, signingKeyFrom, type KeyFile } from './key-files';
export { wantedPapers, type FoundPapers } from './paper-facts';
export { PREDICATE_TYPE, STATEMENT_TYPE } from './statement';
export type { Claim, KnownKey, VerifyRequest } from './claim';
export { verifyPapers } from './verify';
