import { formatSize } from '../../base/units';
import { findings, type Rule } from '../../findings/rule';

export const limitsMemory: Rule = {
  id: 'limits/memory',
  level: 'stop',
  title: 'The function asks for memory that the destination can give',
  why: 'Destinations refuse a function that asks for less than their least or more than their most.',
  mend: 'Set `memory` in the sheet within the destination’s bounds.',
  needs: [],
  check({ destination: { name, memory }, facts: { memoryBytes } }) {
    if (memoryBytes === undefined) return findings();
    const { least, most } = memory;
    const mend = 'change `memory` in the sheet';
    if (least !== undefined && memoryBytes < least)
      return findings({
        level: 'stop',
        expected: `at least ${formatSize(least)} (${name})`,
        found: formatSize(memoryBytes),
        mend,
      });
    if (most !== undefined && memoryBytes > most)
      return findings({
        level: 'stop',
        expected: `at most ${formatSize(most)} (${name})`,
        found: formatSize(memoryBytes),
        mend,
      });
    return findings();
  },
};
