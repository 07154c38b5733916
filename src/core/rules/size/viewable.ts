import { formatSize } from '../../base/units';
import { findings, type Rule } from '../../findings/rule';

export const sizeViewable: Rule = {
  id: 'size/viewable',
  level: 'note',
  title: 'The source can be read where it runs',
  why: 'Some destinations show the code of a function to those who look after it, but only up to a size.',
  mend: 'Trim it (`trim: traced`), or link it (`link: true`) and leave out what is not needed.',
  needs: [],
  isOfLayers: false,
  check({ subject, destination, facts: { limits } }) {
    const stated = [destination.accepts[subject.form.id]?.viewable, limits?.viewable].filter(
      (one) => one !== undefined,
    );
    const most = Math.min(...stated);
    if (subject.packedBytes <= most) return findings();
    return findings({
      level: 'note',
      expected: `at most ${formatSize(most)}, up to which the source can be read at ${destination.name}`,
      found: formatSize(subject.packedBytes),
      mend: 'set `trim: traced` or `link: true`, or live with it',
    });
  },
};
