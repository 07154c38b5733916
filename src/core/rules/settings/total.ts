import { formatSize } from '../../base/units';
import { percent } from '../../findings/amounts';
import { findings, type Rule } from '../../findings/rule';
import { valueAt } from '../../sheet';

export const settingsTotal: Rule = {
  id: 'settings/total',
  level: 'stop',
  title: 'All settings together are no bigger than allowed',
  why: 'Destinations limit the bytes of all names and values together. Values of secrets are not known here, so only their names count.',
  mend: 'Move long values into a file of the source folder.',
  needs: ['settings'],
  check({ destination, facts: { settings = [] } }) {
    const { name } = destination;
    const allowed = destination.settings.totalBytes;
    if (allowed === undefined) return findings();
    const used = settings.reduce(
      (sum, setting) => sum + Buffer.byteLength(setting.name) + Buffer.byteLength(valueAt(setting, name) ?? ''),
      0,
    );
    const gauge = { used, allowed, unit: 'bytes' as const, by: destination.name };
    if (used <= allowed) return { findings: [], gauge };
    const found = `settings of ${formatSize(used)}, ${percent(used / allowed)}`;
    return {
      findings: [
        {
          level: 'stop',
          expected: `at most ${formatSize(allowed)} (${destination.name})`,
          found,
          mend: 'move long values into a file',
        },
      ],
      gauge,
    };
  },
};
