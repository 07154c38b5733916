/** Functions in Go. */
import { KEPT } from '../compiled/kept';
import type { CompiledKeys } from '../compiled/own';
import type { Language } from '../language';

declare module '../../sheet/model' {
  interface Languages {
    go: {
      keys: CompiledKeys;
      lockedPackage: never;
      locked: never;
      carriedPackage: never;
      carried: never;
    };
  }
}

export const go: Language<'go'> = {
  id: 'go',
  title: 'Go',
  runtime: { word: 'go', sample: 'go', offeredAs: 'native' },
  sheet: {
    forms: ['zip', 'binary', 'image'],
    adapters: [],
    entry: {
      hasMember: false,
      isPath: true,
      pattern: /\.go$|(?:^|\/)[^./]+$/,
      endings: '`.go`, or is an executable',
      mend: 'name the file that the host loads',
      sample: 'main.go',
      hostForm: '{path}',
      words: ({ file }) => ({ path: file, file, module: file, class: file, member: '' }),
    },
    needs: { files: /^go\.sum$/, expected: '`go.sum`', isListed: false },
    keys: ['build', 'toolchain', 'strip', 'sources'],
    texts: {
      runtime: '`go`',
      entry:
        'for native code the main source file, or an executable that is there already, with `{arch}` in its path where there is one for each architecture',
      needs: 'for Go `go.sum`',
      sources: 'for Go a module proxy',
    },
    open: async () => (await import('./keys')).goKeys,
  },
  keeps: Object.values(KEPT),

  open: async () => (await import('./work')).goWork,
};
