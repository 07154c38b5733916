/** Functions in C and C++. */
import { KEPT } from '../compiled/kept';
import type { CompiledKeys } from '../compiled/own';
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
  runtime: { word: 'c', sample: 'c', offeredAs: 'native' },
  sheet: {
    forms: ['zip', 'binary', 'image'],
    adapters: [],
    entry: {
      hasMember: false,
      isPath: true,
      pattern: /\.(?:c|cc|cpp|cxx|C)$|(?:^|\/)[^./]+$/,
      endings: '`.c`, `.cc`, `.cpp` or `.cxx`, or is an executable',
      mend: 'name the file that the host loads',
      sample: 'solver.c',
      hostForm: '{path}',
      words: ({ file }) => ({ path: file, file, module: file, class: file, member: '' }),
    },
    needs: {
      files: /(?!)/,
      expected: 'nothing: libraries of C come with the compiler, or lie in the source folder',
      isListed: false,
    },
    keys: ['build', 'toolchain', 'strip', 'sources'],
    texts: {
      runtime: '`c` (C++ too)',
      entry:
        'for native code the main source file, or an executable that is there already, with `{arch}` in its path where there is one for each architecture',
      needs: 'for C nothing',
    },
    open: async () => (await import('./keys')).cKeys,
  },
  keeps: Object.values(KEPT),

  open: async () => (await import('./work')).cWork,
};
