/** Delivering artifacts, and the ledger of what went where. */
export { isPlainHttp, movedTags, readLedger, standing, type Delivery, type Ledger } from './ledger';
export { ledgerSchema } from './ledger-schema';
export { recall, registryOf, sendImage, toRecall, type Recalled, type Sent, type SentBlob } from './send';
