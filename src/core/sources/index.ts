/** Where third-party files come from: HTTP, the store, logins. Protocols of languages lie with them. */
export { NetworkFault } from './attempts';
export { readAuthorities } from './authorities';
export {
  alsoAtNote,
  BY_SHEET,
  type ChosenSource,
  type NotedSource,
  notedSources,
  recordedPath,
  recordedSource,
  sheetSources,
  shownPath,
} from './chosen';
export { fileBody } from './file-body';
export { type FetchRequest, type Fetched, HttpClient, NOT_FOUND } from './http';
export type { Network, NetworkRequest, NetworkResponse, RequestBody, Way } from './network';
export { type PackageFile, PackageStore, type StoredFile } from './package-store';
