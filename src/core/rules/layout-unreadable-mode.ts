import { printable } from '../base/text';
import { findings, type Finding, type Rule } from '../findings/rule';

const OTHERS_READ = 0o004;
const OTHERS_ENTER = 0o001;

export const layoutUnreadableMode: Rule = {
  id: 'layout/unreadable-mode',
  level: 'stop',
  title: 'Everybody may read the files and enter the folders',
  why: 'Hosts run the function as another user than the one who unpacked it; what only its owner may read cannot be loaded.',
  mend: 'Give read permission to all before packing.',
  needs: [],
  check({ subject }) {
    const found: Finding[] = [];
    for (const { path, kind, mode } of subject.entries) {
      if (mode === undefined || kind === 'link') continue;
      const wanted = kind === 'folder' ? OTHERS_READ | OTHERS_ENTER : OTHERS_READ;
      if ((mode & wanted) === wanted) continue;
      const usual = kind === 'folder' ? '0755' : '0644';
      found.push({
        level: 'stop',
        where: printable(path),
        expected: `a mode such as ${usual}`,
        found: `0${mode.toString(8).padStart(3, '0')}`,
        mend: `chmod ${usual} ${printable(path)} before packing`,
      });
    }
    return findings(...found);
  },
};
