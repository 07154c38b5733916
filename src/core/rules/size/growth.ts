import { listed, printable } from '../../base/text';
import { formatSize } from '../../base/units';
import { findings, type Finding, type Rule } from '../../findings/rule';

const CAUSES = 3;

export const sizeGrowth: Rule = {
  id: 'size/growth',
  level: 'stop',
  title: 'The artifact has not grown beyond what was recorded',
  why: 'Artifacts grow a little with every change, until one day they are refused. A record says when they grew, and through what.',
  mend: 'Take out what came in, or record the new weights with `emballage weigh NAME --budget` if the growth is meant.',
  needs: ['growth'],
  check({ facts: { growth, name = 'NAME' } }) {
    if (growth === undefined) return findings();
    const { allow, packed, unpacked, causes } = growth;
    const shown = causes
      .slice(0, CAUSES)
      .map((one) => `${printable(one.name)} (${one.by < 0 ? '−' : '+'}${formatSize(Math.abs(one.by))})`);
    const because = shown.length === 0 ? '' : `, most of it by ${listed(shown)}`;
    const passed = [
      { what: 'packed', ...packed },
      { what: 'unpacked', ...unpacked },
    ].filter(({ now, allowed }) => now > allowed);
    return findings(
      ...passed.map(({ what, before, now, allowed }): Finding => ({
        level: 'stop',
        expected: `at most ${formatSize(allowed)} ${what}, the recorded ${formatSize(before)} and ${allow}`,
        found: `${formatSize(now)}, ${formatSize(now - before)} more than recorded${because}`,
        mend: `take out what came in, or run \`emballage weigh ${name} --budget\` if the growth is meant`,
      })),
    );
  },
};
