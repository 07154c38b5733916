import { printable } from '../../base/text';
import { describeFault, mendFault } from '../../formats/zip';
import { isPathFault } from './unsafe-path';
import { findings, type Rule } from '../../findings/rule';

export const layoutDamaged: Rule = {
  id: 'layout/damaged',
  level: 'stop',
  title: 'Every entry can be unpacked, and is what the archive says it is',
  why: 'Damaged, encrypted or contradictory entries unpack differently from tool to tool, or not at all.',
  mend: 'Make the archive anew.',
  needs: [],
  check: ({ subject }) =>
    findings(
      ...subject.faults
        .filter((fault) => !isPathFault(fault.code))
        .map((fault) => ({
          level: 'stop' as const,
          where: printable(fault.entry),
          expected: 'an entry that is stored or deflated, whole and unencrypted',
          found: describeFault(fault),
          mend: mendFault(fault),
        })),
    ),
};
