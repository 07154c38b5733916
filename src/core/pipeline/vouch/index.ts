/** Vouching for artifacts: makes the papers that others can verify. */
export { makePapers, type VouchRequest } from './vouch';
