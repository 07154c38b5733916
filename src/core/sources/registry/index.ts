/** Registries of container images, over HTTP (OCI distribution specification 1.1). */
export { NO_LOGINS, readAuthFiles, type Login, type RegistryLogins } from './auth-file';
export { isLoopback, RegistryConnection, type RegistryOptions } from './connection';
export { deleteManifest, deleteTag, listReferrers, listTags, ping } from './manage';
export { pullBlob, pullManifest, type PulledManifest } from './pull';
export { hasBlob, pushBlob, pushBytes, pushManifest, pushScope, type Pushed, type UploadMemory } from './push';
