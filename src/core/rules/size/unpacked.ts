import { checkLimit } from '../limit';
import type { Rule } from '../../findings/rule';

export const sizeUnpacked: Rule = {
  id: 'size/unpacked',
  level: 'stop',
  title: 'All files together are no bigger than allowed',
  why: 'Hosts unpack the artifact onto a disk of fixed size before the first call.',
  mend: 'Leave out what the function does not need; the largest files are the place to begin.',
  needs: [],
  check: (context) =>
    checkLimit(context, {
      key: 'unpacked',
      used:
        context.subject.image?.layers.reduce((sum, { unpacked }) => sum + unpacked, 0) ??
        context.subject.entries.reduce((sum, entry) => sum + entry.size, 0),
      unit: 'bytes',
      what: 'files',
      mend: 'leave out what is not needed, the largest files first',
    }),
};
