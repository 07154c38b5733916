import { NO_IMAGE } from '../findings/image';
import { checkLimit } from './limit';
import type { Rule } from '../findings/rule';

export const sizePacked: Rule = {
  id: 'size/packed',
  level: 'stop',
  title: 'The artifact file is no bigger than allowed',
  why: 'Destinations refuse uploads above their limit, and bigger artifacts start more slowly. The sheet’s own limit shows growth early.',
  mend: 'Leave out what the function does not need, or raise the sheet’s limit if the growth is meant.',
  needs: [],
  forms: NO_IMAGE,
  check: (context) =>
    checkLimit(context, {
      key: 'packed',
      used: context.subject.packedBytes,
      unit: 'bytes',
      what: 'an artifact',
      mend: 'leave out what is not needed',
    }),
};
