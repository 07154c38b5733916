/** Functions in native code: Rust, Go, C and C++. */
export { type CargoLock, type LockedCrate, readCargoLock } from '../rust/cargo-lock';
export { readDepFile } from './dep-file';
export { isCxx, isForCompiler, isSource } from './files';
export { dirHash, escapedPath, type GoFile, readGoSum } from '../go/go-sum';
export { readSourceSettings, type SourceSetting } from './source-settings';
