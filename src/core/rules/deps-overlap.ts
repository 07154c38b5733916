import { listed, printable } from '../base/text';
import type { Waybill } from '../waybill';
import { findings, type Level, type Rule } from '../findings/rule';

export const depsOverlap: Rule = {
  id: 'deps/overlap',
  level: 'stop',
  title: 'No two packages bring the same file with different content',
  why: 'Only one of the two is in the artifact, and which one the others expected is anybody’s guess.',
  mend: 'Drop one of the packages, or choose versions that do not clash; a file of your own that replaces one of a package should have a name of its own.',
  needs: ['waybill'],
  check: ({ facts: { waybill } }) => {
    const droppedOf = new Map<string, { kept: string; dropped: string[] }>();
    for (const { path, kept, dropped } of waybill?.overlaps ?? []) {
      const known = droppedOf.get(path) ?? { kept, dropped: [] };
      droppedOf.set(path, known);
      known.dropped.push(dropped);
    }
    return findings(
      ...[...droppedOf].map(([path, { kept, dropped }]) => ({
        level: levelOf(path, waybill),
        where: printable(path),
        expected: 'one origin',
        found: `${dropped.length === 1 ? 'two' : String(dropped.length + 1)}: ${kept}, which is packed, and ${shownDropped(dropped)}`,
        mend: mendFor(waybill),
      })),
    );
  },
};

const MAX_SHOWN = 3;

function shownDropped(dropped: readonly string[]): string {
  const shown = dropped.slice(0, MAX_SHOWN);
  const more = dropped.length > MAX_SHOWN ? [`${String(dropped.length - MAX_SHOWN)} more`] : [];
  return `${listed([...shown, ...more], 'and')}, which ${dropped.length === 1 ? 'is' : 'are'} not`;
}

/** In a JAR notes about libraries collide all the time; what code loads does not. */
function levelOf(path: string, waybill: Waybill | undefined): Level {
  if (waybill?.form !== 'jar' || path.endsWith('.class')) return 'stop';
  return path.startsWith('META-INF/') ? 'note' : 'warn';
}

function mendFor(waybill: Waybill | undefined): string {
  return waybill?.form === 'jar'
    ? 'drop one of them, move one with `relocate`, or name the file under `merge: { append: […] }`'
    : 'drop one of the two, or rename your own file';
}
