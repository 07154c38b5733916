/** The work of Go functions. */
import { compiledWork } from '../compiled/work';
import { lockFiles, readGoNeeds } from './needs';
import { GO_FILES, GO_SETTINGS } from './source-words';
import { foundGo, lookUpGo } from './toolchain';

export const goWork = compiledWork<'go'>({
  isSource: (path) => path.endsWith('.go'),
  files: GO_FILES,
  settings: GO_SETTINGS,
  needs: readGoNeeds,
  lockFiles,
  settle: async (request) => (await import('./lock')).settle(request),
  plan: async (request) => (await import('./build')).planGo(request),
  found: foundGo,
  lookUp: lookUpGo,
});
