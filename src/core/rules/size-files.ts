import { checkLimit } from './limit';
import type { Rule } from './rule';

export const sizeFiles: Rule = {
  id: 'size/files',
  level: 'stop',
  title: 'There are no more files than allowed',
  why: 'Hosts limit the number of files, and many small files make the first start slow.',
  mend: 'Leave out folders that the function does not need.',
  needs: [],
  check: (context) =>
    checkLimit(context, {
      key: 'files',
      used: context.subject.entries.filter((entry) => entry.kind !== 'folder').length,
      unit: 'count',
      what: 'a number of files',
      mend: 'leave out folders that are not needed',
    }),
};
