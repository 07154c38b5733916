import { formatSize } from '../../../base/units';
import { packageAt, packageSizes } from './shared';
import { findings, type Finding, type Rule } from '../../../findings/rule';

const SHOWN_ASKERS = 3;

export const depsDuplicate: Rule = {
  id: 'deps/duplicate',
  level: 'note',
  title: 'Each package is there in one version',
  why: 'The same package in several versions takes room several times, and what one copy remembers the other does not know.',
  mend: 'Bring those who ask for it to one version: newer versions of them, or `overrides` in package.json.',
  needs: ['waybill'],
  check({ facts: { waybill } }) {
    if (waybill === undefined) return findings();
    const sizes = packageSizes(waybill);
    const copies = new Map<string, { version: string; at: string; size: number; by: readonly string[] }[]>();
    for (const { name, version, by, node: { at } = { at: '' } } of waybill.packages) {
      const size = sizes.get(at);
      if (size !== undefined) copies.set(name, [...(copies.get(name) ?? []), { version, at, size, by }]);
    }
    const found: Finding[] = [];
    for (const [name, all] of copies) {
      const versions = [...new Set(all.map(({ version }) => version))];
      if (versions.length < 2) continue;
      const largest = Math.max(...all.map(({ size }) => size));
      const extra = all.reduce((sum, { size }) => sum + size, 0) - largest;
      const shown = versions.map((version) => {
        const same = all.filter((one) => one.version === version);
        const asked = [...new Set(same.flatMap(({ at, by }) => askers(at, by)))];
        const more = asked.length - SHOWN_ASKERS;
        const who = `${asked.slice(0, SHOWN_ASKERS).join(', ')}${more > 0 ? ` and ${String(more)} more` : ''}`;
        return `${version}${same.length > 1 ? ` ${String(same.length)} times` : ''}, for ${who}`;
      });
      found.push({
        level: 'note',
        where: name,
        expected: 'one version',
        found: `${shown.join('; ')}: ${formatSize(extra)} more than one would take`,
        mend: 'bring them to one version, with `overrides` in package.json where they do not agree',
      });
    }
    return findings(...found);
  },
};

/** A package that lies inside another is there for that one. */
function askers(at: string, by: readonly string[]): readonly string[] {
  const outer = /^(.*)\/node_modules\/(?:@[^/]+\/)?[^/]+$/.exec(at)?.[1];
  return outer === undefined ? by : [packageAt(outer)];
}
