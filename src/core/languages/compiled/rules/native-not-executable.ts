import { printable } from '../../../base/text';
import { findings, type Rule } from '../../../findings/rule';

export const nativeNotExecutable: Rule = {
  id: 'native/not-executable',
  level: 'stop',
  title: 'The executable may be executed by everybody',
  why: 'Hosts unpack files with the modes that the archive gives. Without the permission the start fails, and archives made on some systems hold no modes at all.',
  mend: 'Pack it with mode 0755.',
  needs: ['runtime', 'entry'],
  check({ subject, facts: { entry } }) {
    const file = subject.entries.find(({ path, kind }) => path === entry?.file && kind === 'file');
    if (file === undefined || (file.mode !== undefined && (file.mode & 0o111) === 0o111)) return findings();
    return findings({
      level: 'stop',
      where: printable(file.path),
      expected: 'a mode such as 0755',
      found: file.mode === undefined ? 'none: the artifact does not say' : `0${file.mode.toString(8).padStart(3, '0')}`,
      mend: `chmod 0755 ${printable(file.path)} before packing`,
    });
  },
};
