/** Packages of Node.js functions: what a lock says, what of it a target needs, where it lies, and what is in it. */
export { placePackages, type PlacedPackage } from './layout';
export {
  asRecord,
  invalid,
  manifestOf,
  parseJson,
  type LockEntry,
  type Manifest,
  type PackageLock,
} from './package-lock';
export { LOCKS, readLock, type ReadLock } from './read-lock';
export type { LockFolder, LockFolders } from './lock-graph';
export { compareWithManifest, linkTarget, selectPackages, type NodeTarget } from './select';
export { makeTarball, type MadeTarball } from './make-tarball';
