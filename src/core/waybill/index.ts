/** Waybills. Their schema is behind a door of its own, `schema`, so that making one does not load the schema library. */
export type { Waybill, WaybillFile } from './schema';
export { filesDigest, formatWaybill, makeWaybill, readWaybill } from './waybill';
