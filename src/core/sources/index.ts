/** Where third-party files come from: HTTP, the store, logins. Protocols of languages lie with them. */
export { type FetchRequest, type Fetched, HttpClient, NOT_FOUND } from './http';
export type { Network, NetworkRequest, NetworkResponse } from './network';
export { type PackageFile, PackageStore, type StoredFile } from './package-store';
