/** Packages of Node.js functions: what a lock says, what of it a target needs, where it lies, and what is in it. */
export { placePackages, type PlacedPackage } from './layout';
export { asRecord, invalid, parseJson, readPackageLock, type LockEntry, type PackageLock } from './package-lock';
export { compareWithManifest, linkTarget, selectPackages, type Manifest, type NodeTarget } from './select';
export { makeTarball, type MadeTarball } from './make-tarball';
