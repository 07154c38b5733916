/** The work of functions in C and C++. */
import { cCompilersOf, foundC } from '../compiled/compile/c-compilers';
import { fitsToolchain } from '../compiled/compile/choose-compiler';
import { lookUpCompilers } from '../compiled/running';
import { compiledWork } from '../compiled/work';
import { C_FILES, C_SETTINGS } from './source-words';

export const cWork = compiledWork<'c'>({
  isSource: (path) => /\.(?:c|cc|cpp|cxx|C)$/.test(path),
  files: C_FILES,
  settings: C_SETTINGS,
  // Libraries of C come with the compiler, or lie in the source folder.
  needs: () => undefined,
  lockFiles: () => [],
  settle: () => Promise.reject(new Error('no needs')),
  plan: async (request) => (await import('./build')).planC(request),
  found: foundC,
  async lookUp(machine, spec) {
    const asked = spec.byLanguage.toolchain;
    const right = (await cCompilersOf(machine)).filter(
      (one) => fitsToolchain(asked, one.version) && (asked === undefined || one.compiler === asked.compiler),
    );
    return lookUpCompilers(spec, (arch) => right.find((one) => one.arch === arch)?.path);
  },
});
