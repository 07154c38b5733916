import { printable } from '../../../base/text';
import { formatSize } from '../../../base/units';
import { nativeFiles } from '../../../findings/native-files';
import { findings, type Finding, type Rule } from '../../../findings/rule';

export const nativeDebugLeft: Rule = {
  id: 'native/debug-left',
  level: 'note',
  title: 'No debugging sections are left in compiled files',
  why: 'They are often larger than the program, are not needed to run it, and tell names and paths of the machine that compiled it.',
  mend: 'Take them out with `strip: all` or `strip: debug`, or keep them knowingly with `strip: none`.',
  needs: ['runtime'],
  check({ subject }) {
    const found: Finding[] = nativeFiles(subject)
      .filter(({ debugBytes }) => debugBytes > 0)
      .map(({ path, debugBytes }) => ({
        level: 'note',
        where: printable(path),
        expected: 'nothing that only debuggers read',
        found: `${formatSize(debugBytes)} of debugging sections`,
        mend: 'set `strip: all`, or `strip: debug`',
      }));
    return findings(...found);
  },
};
