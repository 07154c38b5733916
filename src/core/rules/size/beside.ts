import { formatSize } from '../../base/units';
import { percent } from '../../findings/amounts';
import { findings, type Rule } from '../../findings/rule';

export const sizeBeside: Rule = {
  id: 'size/beside',
  level: 'stop',
  title: 'The destination takes the data that travels beside the artifact',
  why: 'Data beside an artifact lies where the destination has room for it. One that has none refuses it, or the function finds nothing where its setting says.',
  mend: 'Make the data smaller, pack it into the artifact with `include`, or choose another destination.',
  needs: ['waybill'],
  check({ destination, facts: { waybill } }) {
    const { beside = [] } = waybill ?? {};
    if (beside.length === 0) return findings();
    const { besides } = destination;
    if (besides === undefined)
      return findings({
        level: 'stop',
        where: beside.map(({ name }) => name).join(', '),
        expected: `data beside an artifact, which ${destination.name} takes (\`accepts.beside\`)`,
        found: 'none that it takes',
        mend: 'pack it into the artifact with `include`, or say `accepts: { beside: {} }` in the destination',
      });
    const allowed = besides.packed;
    if (allowed === undefined) return findings();
    const used = beside.reduce((sum, { size }) => sum + size, 0);
    const gauge = { used, allowed, unit: 'bytes' as const, by: destination.name };
    if (used <= allowed) return { findings: [], gauge };
    const [largest] = [...beside].sort((a, b) => b.size - a.size);
    return {
      findings: [
        {
          level: 'stop',
          where: largest?.file ?? '',
          expected: `at most ${formatSize(allowed)} beside the artifact (${destination.name})`,
          found: `${formatSize(used)}, ${percent(used / allowed)}`,
          mend: 'make it smaller',
        },
      ],
      gauge,
    };
  },
};
