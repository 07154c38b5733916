/** Functions in C and C++. */
import { KEPT } from '../compiled/caches';
import type { CompiledKeys } from '../compiled/own';
import { compiledSheetPart } from '../compiled/sheet-part';
import type { Language } from '../language';

declare module '../../sheet/model' {
  interface Languages {
    c: {
      keys: CompiledKeys;
      lockedPackage: never;
      locked: never;
      carriedPackage: never;
      carried: never;
    };
  }
}

export const c: Language<'c'> = {
  id: 'c',
  title: 'C',
  runtime: { word: 'c', aliases: ['c++', 'cpp', 'cxx', 'gcc', 'clang'], sample: 'c', offeredAs: 'native' },
  sheet: compiledSheetPart({
    entry: {
      pattern: /\.(?:c|cc|cpp|cxx|C)$|(?:^|\/)[^./]+$/,
      endings: '`.c`, `.cc`, `.cpp` or `.cxx`, or is an executable',
      sample: 'solver.c',
    },
    needs: {
      files: /(?!)/,
      expected: 'nothing: libraries of C come with the compiler, or lie in the source folder',
      isListed: false,
    },
    texts: { runtime: '`c` (C++ too)', needs: 'for C nothing' },
    open: async () => (await import('./keys')).cKeys,
  }),
  caches: Object.values(KEPT),
  survey: async () => (await import('./survey')).cSurveyor,
  open: async () => (await import('./work')).cWork,
};
