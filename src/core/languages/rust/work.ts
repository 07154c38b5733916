/** The work of Rust functions. */
import { compiledWork } from '../compiled/work';
import { lockFiles, readRustNeeds } from './locks/needs';
import { RUST_FILES, RUST_SETTINGS } from './view/source-words';
import { foundRust, lookUpRust } from './toolchain';

export const rustWork = compiledWork<'rust'>({
  isSource: (path) => RUST_FILES.sources.test(path),
  files: RUST_FILES,
  settings: RUST_SETTINGS,
  needs: readRustNeeds,
  lockFiles,
  settle: async (request) => (await import('./locks/lock')).settle(request),
  plan: async (request) => (await import('./build')).planRust(request),
  found: foundRust,
  lookUp: lookUpRust,
});
