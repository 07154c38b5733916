import { printable } from '../../base/text';
import { checkLimit } from '../limit';
import { findings, type Rule } from '../../findings/rule';

export const sizeOneFile: Rule = {
  id: 'size/one-file',
  level: 'stop',
  title: 'No single file is bigger than allowed',
  why: 'Some hosts limit each file; and one huge file is often there by mistake: a dump, a log, a recording.',
  mend: 'Leave the file out, or fetch it at run time from where such data belongs.',
  needs: [],
  check(context) {
    const files = context.subject.entries.filter((entry) => entry.kind === 'file');
    const largest = files.reduce((a, b) => (b.size > (a?.size ?? -1) ? b : a), files[0]);
    if (largest === undefined) return findings();
    return checkLimit(context, {
      key: 'oneFile',
      used: largest.size,
      unit: 'bytes',
      what: 'a file',
      where: printable(largest.path),
      mend: `leave it out: \`leave-out: ["/${printable(largest.path)}"]\``,
    });
  },
};
