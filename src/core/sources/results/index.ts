/** Results that many machines share, in a registry. */
export { readPrivateKey, readPublicKey, readResult, RESULT_TYPE } from './result';
export { listResults, removeResults, resultsToRemove, type StoredResult } from './tidy';
export { ResultStore, type Files, type ResultStoreOptions, type Tally } from './store';
