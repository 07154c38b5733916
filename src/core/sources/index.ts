/** Where third-party files come from. */
export { type Credentials, NO_CREDENTIALS, readNetrc, withoutCredentials } from './credentials';
export { type FetchRequest, type Fetched, HttpClient, NOT_FOUND } from './http';
export type { Network, NetworkRequest, NetworkResponse } from './network';
export { type PackageFile, PackageStore, type StoredFile } from './package-store';
export { type IndexFile, fetchProject, readPage } from '../languages/python/index/index-pages';
export { crateAddress } from '../languages/rust/crate-registry';
export { readNpmConfig, type NpmConfig, type NpmConfigFile, type NpmSurroundings } from '../languages/node/registry/npm-config';
export { askRegistry, type NpmDist } from '../languages/node/registry/npm-registry';
export {
  type FetchedArtifact,
  type MavenFile,
  MavenRepositories,
  type MavenSource,
  layoutPath,
} from '../languages/jvm/repository/maven-repository';
export { type MavenSettings, type MavenSurroundings, readMavenSettings } from '../languages/jvm/repository/maven-settings';
