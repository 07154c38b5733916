import { formatSize } from '../../../base/units';
import { packageAt, packageSizes } from './shared';
import { findings, type Finding, type Rule } from '../../../findings/rule';

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
      const shown = all.map(({ version, at, by }) => `${version} for ${askers(at, by)}`);
      found.push({
        level: 'note',
        where: name,
        expected: 'one version',
        found: `${[...new Set(shown)].join('; ')}: ${formatSize(extra)} more than one would take`,
        mend: 'bring them to one version, with `overrides` in package.json where they do not agree',
      });
    }
    return findings(...found);
  },
};

/** A package that lies inside another is there for that one. */
function askers(at: string, by: readonly string[]): string {
  const outer = /^(.*)\/node_modules\/(?:@[^/]+\/)?[^/]+$/.exec(at)?.[1];
  return outer === undefined ? by.slice(0, 3).join(', ') : packageAt(outer);
}
