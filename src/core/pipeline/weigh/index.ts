/** What takes the room in artifacts, and how that changes. */
export { earlierArtifact, earlierWeights, type EarlierRequest } from './earlier';
export { allowed, growth, recordFrom, recordFromWaybill, type Change, type Growth } from './growth';
export { triedSavings } from './further';
export * from './model';
export type { WeightRecord } from './record-schema';
export { pageReport } from './page';
export { DEFAULT_ALLOWANCE, readRecords, recordOf, writeRecords, type NewRecord } from './records';
export { weighFile, weighTarget, type WeighRequest } from './weigh';
