/** Functions in Go. */
import { KEPT } from '../compiled/caches';
import type { CompiledKeys } from '../compiled/own';
import { compiledSheetPart } from '../compiled/sheet-part';
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
  runtime: { word: 'go', aliases: ['golang'], sample: 'go', offeredAs: 'native' },
  sheet: compiledSheetPart({
    entry: { pattern: /\.go$|(?:^|\/)[^./]+$/, endings: '`.go`, or is an executable', sample: 'main.go' },
    needs: { files: /^go\.sum$/, expected: '`go.sum`', isListed: false },
    texts: { runtime: '`go`', needs: 'for Go `go.sum`', sources: 'for Go a module proxy' },
    open: async () => (await import('./keys')).goKeys,
  }),
  caches: Object.values(KEPT),
  survey: async () => (await import('./survey')).goSurveyor,
  describing: async () => (await import('./describing')).goDescribing,
  weighing: async () => (await import('./weighing')).goWeighing,
  open: async () => (await import('./work')).goWork,
};
