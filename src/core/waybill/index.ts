/** Waybills. Their schema is loaded only to hold one against it. */
import type { Known } from '../sheet';

export type { CarriedPackage, Waybill, WaybillFile } from './schema';
export { lineOf, rowOf } from './edges';
export { ownersOf, packageOwner, type Owner } from './owners';
export { reasonGraph, rowsByOwner, withoutPackage, type GraphNode, type ReasonGraph } from './reason-graph';
export { filesDigest, formatWaybill, makeWaybill, readWaybill, type WaybillFacts } from './waybill';

/** The shape of a waybill. Loaded when it is called. */
export async function waybillSchema(known: Pick<Known, 'all' | 'forms'>) {
  return (await import('./schema')).waybillSchema(known);
}
