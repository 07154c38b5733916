import { imageOf } from '../../findings/image';
import { checkLimit } from '../limit';
import type { Rule } from '../../findings/rule';

export const sizeLayersCount: Rule = {
  id: 'size/layers-count',
  level: 'stop',
  title: 'There are no more layers than allowed',
  why: 'Hosts stack only so many, and each costs a request.',
  mend: 'Take a base with fewer layers, or write `layers: one`.',
  needs: [],
  isOfLayers: true,
  check: (context) =>
    checkLimit(context, {
      key: 'layers',
      used: imageOf(context.subject).layers.length,
      unit: 'count',
      what: 'a number of layers',
      mend: 'take a base with fewer layers, or write `layers: one`',
    }),
};
