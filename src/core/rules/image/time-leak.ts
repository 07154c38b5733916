import { baseLayers, imageOf, layerName } from '../../findings/image';
import { findings, type Finding, type Rule } from '../../findings/rule';

export const imageTimeLeak: Rule = {
  id: 'image/time-leak',
  level: 'note',
  title: 'Times in the image are not those of the machine that built it',
  why: 'Where files carry the times at which they were written, the same source has another digest with each build, and is sent again.',
  mend: 'Build with fixed times: `emballage build` does, and SOURCE_DATE_EPOCH sets which.',
  needs: [],
  isOfLayers: true,
  check({ subject, facts }) {
    const base = baseLayers(facts) ?? 0;
    const found: Finding[] = [];
    for (const [i, { entries }] of imageOf(subject).layers.entries()) {
      const times = entries.map(({ head }) => head.mtimeSeconds);
      const [first, last] = [
        times.reduce((a, b) => Math.min(a, b), Infinity),
        times.reduce((a, b) => Math.max(a, b), 0),
      ];
      // What a base brings stays the same from build to build.
      if (i < base || first >= last) continue;
      found.push({
        level: 'note',
        where: layerName(facts, i),
        expected: 'one time for all files',
        found: `times from ${shown(first)} to ${shown(last)}`,
        mend: 'build it with fixed times',
      });
    }
    return findings(...found);
  },
};

function shown(seconds: number): string {
  const date = new Date(seconds * 1000);
  return Number.isNaN(date.getTime()) ? String(seconds) : date.toISOString().replace('.000Z', 'Z');
}
