import { firstFew, listed, printable } from '../../base/text';
import { findings, type Level, type Rule } from '../../findings/rule';

export const depsOverlap: Rule = {
  id: 'deps/overlap',
  level: 'stop',
  title: 'No two packages bring the same file with different content',
  why: 'Only one of the two is in the artifact, and which one the others expected is anybody’s guess.',
  mend: 'Drop one of the packages, or choose versions that do not clash; a file of your own that replaces one of a package should have a name of its own.',
  needs: ['waybill'],
  check: ({ subject, facts: { waybill } }) => {
    const droppedOf = new Map<string, { kept: string; dropped: string[] }>();
    for (const { path, kept, dropped } of waybill?.overlaps ?? []) {
      const known = droppedOf.get(path) ?? { kept, dropped: [] };
      droppedOf.set(path, known);
      known.dropped.push(dropped);
    }
    return findings(
      ...[...droppedOf].map(([path, { kept, dropped }]) => ({
        ...(subject.view?.overlap?.({ path }) ?? USUAL),
        where: printable(path),
        expected: 'one origin',
        found: `${dropped.length === 1 ? 'two' : String(dropped.length + 1)}: ${kept}, which is packed, and ${shownDropped(dropped)}`,
      })),
    );
  },
};

const USUAL = { level: 'stop' as Level, mend: 'drop one of the two, or rename your own file' };
const MAX_SHOWN = 3;

function shownDropped(dropped: readonly string[]): string {
  return `${listed(firstFew(dropped, MAX_SHOWN))}, which ${dropped.length === 1 ? 'is' : 'are'} not`;
}
