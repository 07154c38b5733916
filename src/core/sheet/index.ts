/** Packing sheets and destinations. Light: what reads and checks them is loaded when one has to be read. */
import type { ProjectFolder } from '../disk/project-folder';
import type { DestinationFile } from './destination';
import type { RoughFunction } from './text/rough';
import type { Known } from './runtimes';
import type { LoadedSheet } from './sheet';

export { type AdapterCalls, adapterCalls, callsOf, shapeOf, takesPlainRequests } from './keys/adapter-key';
export { hostSettings, speechTo } from './spoken-to';
export { DEFAULT_START, entryOf, entryString, offeredRuntime } from './entry';
export { givenMemory, givenTimeMs } from './given';
export {
  ARCHITECTURES,
  MAX_YAML_BYTES,
  type Acceptance,
  type Arch,
  type Beside,
  type Deliver,
  type DeliverBy,
  type Destination,
  type DestinationRuntime,
  type Entry,
  type Fill,
  type FormFacts,
  type FormId,
  type FormKeys,
  type Forms,
  type FunctionSpec,
  type LanguageId,
  type Languages,
  type LanguageTypes,
  type LicencePolicy,
  type Limits,
  type Needs,
  type ByLanguage,
  type Registry,
  type Runtime,
  type Setting,
  type SharedStore,
  type Sheet,
  type SheetNeed,
  type Source,
  type Trim,
  type Wants,
  type WayFacts,
  type WayName,
  type Ways,
} from './model';
export type { SheetNotes } from './text/notes';
export { glob, pattern, plainHttp, registry, SETTING_PATTERN, text } from './text/schema-words';
export { inputsText, isHeld, valueAt, valueToTry } from './settings';
export { isRegistry, settleRegistry } from './store-place';
export { ADDRESS_WORDS, addressField } from './keys/address';
export type {
  EntryPart,
  FormKeysReading,
  FormSheetKeys,
  HostWords,
  KeysReading,
  PartSchemas,
  RuntimeWords,
  SheetForm,
  SheetKeys,
  SheetLanguage,
  SheetPart,
  SheetWay,
  WaySheetKeys,
  LateFields,
} from './part';
export { formsFor, partFields, readRuntime, wayIn, type ForeseenRuntime, type Known } from './runtimes';
export type { RoughFunction } from './text/rough';
export type { LoadedSheet, ReadFile } from './sheet';

/** @throws EmballageError SHEET_INVALID with all problems, or what reading the files throws */
export async function loadSheet(
  project: ProjectFolder,
  path: string,
  shown: (path: string) => string,
  known: Known,
): Promise<LoadedSheet> {
  return (await import('./sheet')).loadSheet(project, path, shown, known);
}

/** @param file name of the destination file for messages */
export async function readDestination(text: string, file: string, known: Known): Promise<DestinationFile> {
  const [{ readDestination: read }, { openWays }] = await Promise.all([import('./destination'), import('./sheet')]);
  return read(text, file, known, await openWays(known.ways));
}

export type SheetEdits = typeof import('./text/edit');

/** What changes the text of a sheet in place. */
export function openSheetEdits(): Promise<SheetEdits> {
  return import('./text/edit');
}

/** What a file that may be a sheet says of its functions. */
export async function roughFunctions(text: string): Promise<RoughFunction[]> {
  return (await import('./text/rough')).roughFunctions(text);
}

/** The schemas of a sheet and a destination. */
export async function sheetSchemas(known: Known) {
  const [{ destinationSchema }, { sheetSchema }, { openKeys }] = await Promise.all([
    import('./destination-schema'),
    import('./schema'),
    import('./sheet'),
  ]);
  const open = await openKeys(known);
  return { sheet: sheetSchema(known, open), destination: destinationSchema(known, open.ways) };
}
