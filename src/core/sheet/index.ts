/** Packing sheets and destinations. */
export { readDestination } from './destination';
export { DEFAULT_START, entryString, offeredRuntime, runtimeName } from './entry';
export { givenMemory, givenTimeMs } from './given';
export {
  ARCHITECTURES,
  FORMS,
  type Acceptance,
  type Adapter,
  type Sourcemap,
  type Arch,
  type Destination,
  type DestinationRuntime,
  type Entry,
  type Form,
  type FunctionSpec,
  type Limits,
  type Needs,
  type Registry,
  type Runtime,
  type Setting,
  type Sheet,
  type SheetNeed,
  type Source,
  type Trim,
} from './model';
export { destinationSchema, sheetSchema } from './schema';
export { settleRuntime } from './function';
export { type LoadedSheet, type ReadFile, loadSheet } from './sheet';
export { MAX_YAML_BYTES } from './yaml';
export type { Base, ImageKeys, LayerKey, RuntimeBase } from './image-keys';
export type { JvmKeys, Relocate } from '../languages/jvm/keys';
export { isNative, NATIVE_RUNTIME, type NativeKeys, type NativeLanguage, type WantedToolchain } from '../languages/compiled/keys';
