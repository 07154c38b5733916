import { imageOf, sentBytes } from '../../findings/image';
import { checkLimit } from '../limit';
import type { Rule } from '../../findings/rule';

export const sizeImage: Rule = {
  id: 'size/image',
  level: 'stop',
  title: 'The image, as it is sent, is no bigger than allowed',
  why: 'Registries and hosts limit images, and a host that has to fetch more starts later.',
  mend: 'Take a smaller base, leave out what the function does not need, or raise the sheet’s limit if the growth is meant.',
  needs: [],
  isOfLayers: true,
  check: (context) =>
    checkLimit(context, {
      key: 'packed',
      used: sentBytes(imageOf(context.subject)),
      unit: 'bytes',
      what: 'an image',
      mend: 'take a smaller base, or leave out what is not needed',
    }),
};
