import { listed } from '../../base/text';
import { findings, type Rule } from '../../findings/rule';

export const archUnsupported: Rule = {
  id: 'arch/unsupported',
  level: 'stop',
  title: 'The destination runs the artifact’s architecture',
  why: 'An artifact for another processor is refused, or starts and fails at its first instruction.',
  mend: 'Set `arch` in the sheet to one that the destination lists, or deliver to another destination.',
  needs: ['arch'],
  check({ destination, facts: { arch } }) {
    if (arch === undefined || destination.archs.includes(arch)) return findings();
    const expected = listed(destination.archs, 'or');
    return findings({
      level: 'stop',
      expected: `${expected} (${destination.name})`,
      found: arch,
      mend: `set \`arch: [${destination.archs.join(', ')}]\``,
    });
  },
};
