/** Packing sheets and destinations. */
export { readDestination } from './destination';
export { entryString } from './entry';
export {
  ARCHITECTURES,
  FORMS,
  type Acceptance,
  type Arch,
  type Destination,
  type DestinationRuntime,
  type Entry,
  type Form,
  type FunctionSpec,
  type Limits,
  type Runtime,
  type Setting,
  type Sheet,
} from './model';
export { destinationSchema, sheetSchema } from './schema';
export { type LoadedSheet, type ReadFile, loadSheet, settleRuntime } from './sheet';
export { MAX_YAML_BYTES } from './yaml';
