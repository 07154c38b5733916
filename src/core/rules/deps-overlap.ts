import { printable } from '../base/text';
import { findings, type Rule } from './rule';

export const depsOverlap: Rule = {
  id: 'deps/overlap',
  level: 'stop',
  title: 'No two packages bring the same file with different content',
  why: 'Only one of the two is in the artifact, and which one the others expected is anybody’s guess.',
  mend: 'Drop one of the packages, or choose versions that do not clash; a file of your own that replaces one of a package should have a name of its own.',
  needs: ['waybill'],
  check: ({ facts: { waybill } }) =>
    findings(
      ...(waybill?.overlaps ?? []).map(({ path, kept, dropped }) => ({
        level: 'stop' as const,
        where: printable(path),
        expected: 'one origin',
        found: `two: ${kept}, which is packed, and ${dropped}, which is not`,
        mend: 'drop one of the two, or rename your own file',
      })),
    ),
};
