import { checkLimit } from '../limit';
import type { Rule, Subject } from '../../findings/rule';

/** Those of an image are in its layers. */
function filesOf({ image, entries }: Subject): number {
  const kinds =
    image?.layers.flatMap((layer) => layer.entries.map(({ head }) => head.kind)) ?? entries.map(({ kind }) => kind);
  return kinds.filter((kind) => kind !== 'folder').length;
}

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
      used: filesOf(context.subject),
      unit: 'count',
      what: 'a number of files',
      mend: 'leave out folders that are not needed',
    }),
};
