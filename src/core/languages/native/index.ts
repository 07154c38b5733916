/** Executables of which nothing is known but that they are: what destinations offer for every compiled language. */
import type { Language } from '../language';

declare module '../../sheet/model' {
  interface Languages {
    native: {
      keys: { readonly isReady: true };
      lockedPackage: never;
      locked: never;
      carriedPackage: never;
      carried: never;
    };
  }
}

export const native: Language<'native'> = {
  id: 'native',
  title: 'native code',
  runtime: { word: 'native', sample: 'native', isOfferedOnly: true },
  sheet: {
    forms: ['zip', 'binary', 'image'],
    adapters: [],
    entry: {
      hasMember: false,
      isPath: true,
      pattern: /[^/]$/,
      endings: 'the name of an executable',
      mend: 'name the executable',
      sample: 'run',
      hostForm: '{path}',
      words: ({ file }) => ({ path: file, file, module: file, class: file, member: '' }),
    },
    needs: { files: /(?!)/, expected: 'nothing', isListed: false },
    keys: [],
    texts: {},
    open: () => Promise.resolve({ fields: {}, read: () => ({ isReady: true }) }),
  },
  caches: [],
  open: async () => (await import('./work')).nativeWork,
};
