/** Functions in Rust. */
import { KEPT as COMPILED } from '../compiled/caches';
import type { CompiledKeys } from '../compiled/own';
import { compiledSheetPart } from '../compiled/sheet-part';
import type { Language } from '../language';
import { KEPT } from './caches';

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
  runtime: { word: 'rust', aliases: ['rs', 'cargo', 'rustc'], sample: 'rust', offeredAs: 'native' },
  sheet: compiledSheetPart({
    entry: { pattern: /\.rs$|(?:^|\/)[^./]+$/, endings: '`.rs`, or is an executable', sample: 'src/main.rs' },
    needs: { files: /^Cargo\.lock$/, expected: '`Cargo.lock`', isListed: false },
    texts: {
      runtime: '`rust`',
      needs: 'for Rust `Cargo.lock`',
      sources: 'for Rust a registry of crates (the address of its sparse index)',
    },
    open: async () => (await import('./keys')).rustKeys,
  }),
  caches: [...Object.values(COMPILED), ...Object.values(KEPT)],
  skips: () => ({ folder: 'target', by: 'compiler' }),
  survey: async () => (await import('./survey')).rustSurveyor,
  describing: async () => (await import('./view/describing')).rustDescribing,
  weighing: async () => (await import('./view/weighing')).rustWeighing,
  open: async () => (await import('./work')).rustWork,
};
