/** Delivering artifacts, and the ledger of what went where. */
export { HostClient, type LogWanted } from './host-client';
export { movedTags, readLedger, standing, type Delivery, type Ledger } from './ledger';
export { ledgerSchema } from './ledger-schema';
export { builtPayload, paperTexts, type Payload, type PayloadPart, type PayloadRequest } from './payload';
export { linkOf } from './link';
export { deliveryAt, fetchedPayload } from './promote';
export { hostOpenApi } from './openapi';
export {
  callText,
  currentText,
  PREFIX,
  SEAL,
  versionText,
  type FunctionStatus,
  type LogResult,
  type VersionText,
  type VersionResult,
} from './protocol';
export { recall, toRecall, type Recalled, type RecallChoice } from './recall';
export { destinationOf, lookAtDestination, send, type SendRequest, type Sent } from './send';
export {
  hostClient,
  isAsked,
  openWay,
  programAnswer,
  programRequest,
  wayKind,
  wayOf,
  WAYS,
  type DeliveryWorld,
  type Drift,
  type DeliveryStatus,
  type SentBlob,
  type Way,
  type What,
} from './ways';
