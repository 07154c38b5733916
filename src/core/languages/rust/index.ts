/** Functions in Rust. */
import { KEPT as COMPILED } from '../compiled/kept';
import type { CompiledKeys } from '../compiled/own';
import type { Language } from '../language';
import { KEPT } from './kept';

declare module '../../sheet/model' {
  interface Languages {
    rust: {
      keys: CompiledKeys;
      lockedPackage: never;
      locked: never;
      carriedPackage: never;
      carried: never;
    };
  }
}

export const rust: Language<'rust'> = {
  id: 'rust',
  title: 'Rust',
  runtime: { word: 'rust', sample: 'rust', offeredAs: 'native' },
  sheet: {
    forms: ['zip', 'binary', 'image'],
    adapters: [],
    entry: {
      hasMember: false,
      isPath: true,
      pattern: /\.rs$|(?:^|\/)[^./]+$/,
      endings: '`.rs`, or is an executable',
      mend: 'name the file that the host loads',
      sample: 'src/main.rs',
      hostForm: '{path}',
      words: ({ file }) => ({ path: file, file, module: file, class: file, member: '' }),
    },
    needs: { files: /^Cargo\.lock$/, expected: '`Cargo.lock`', isListed: false },
    keys: ['build', 'toolchain', 'strip', 'sources'],
    texts: {
      runtime: '`rust`',
      entry:
        'for native code the main source file, or an executable that is there already, with `{arch}` in its path where there is one for each architecture',
      needs: 'for Rust `Cargo.lock`',
      sources: 'for Rust a registry of crates (the address of its sparse index)',
    },
    open: async () => (await import('./keys')).rustKeys,
  },
  keeps: [...Object.values(COMPILED), ...Object.values(KEPT)],
  skips: () => ({ folder: 'target', by: 'compiler' }),
  open: async () => (await import('./work')).rustWork,
};
