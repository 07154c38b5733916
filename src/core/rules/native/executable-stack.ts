import { printable } from '../../base/text';
import { ET, PF, PT } from '../../formats/elf';
import { nativeFiles } from '../../findings/native-files';
import { findings, type Finding, type Rule } from '../../findings/rule';

export const nativeExecutableStack: Rule = {
  id: 'native/executable-stack',
  level: 'warn',
  title: 'No compiled file asks for a stack that can be executed',
  why: 'With it whatever an attacker writes to the stack can run; newer systems refuse to load such a library. As a rule an assembler file without its note asks for it by accident.',
  mend: 'Add `.note.GNU-stack` to assembler files, or link with `-Wl,-z,noexecstack`.',
  needs: [],
  check({ subject }) {
    const found: Finding[] = [];
    for (const { path, elf } of nativeFiles(subject)) {
      if (elf.type === ET.relocatable) continue;
      const stack = elf.segments.find(({ type }) => type === PT.gnuStack);
      if (stack === undefined || (stack.flags & PF.executable) === 0) continue;
      found.push({
        level: 'warn',
        where: printable(path),
        expected: 'a stack that only holds data',
        found: 'one that can be executed',
        mend: 'link with `-Wl,-z,noexecstack`',
      });
    }
    return findings(...found);
  },
};
