import { printable } from '../../../base/text';
import { glibcNeeded } from '../../../formats/elf';
import { entryProgram } from '../../../findings/native-files';
import type { CompiledKeys } from '../own';
import { findings, type Rule } from '../../../findings/rule';

export const nativeStatic: Rule = {
  id: 'native/static',
  level: 'note',
  title: 'How the executable is linked is what was asked for',
  why: 'A static executable runs wherever its processor is; a dynamic one needs the C library of its kind, new enough, and every library that it names.',
  mend: 'Ask for the other with `build: { linkage: static }` or `dynamic`.',
  needs: ['runtime', 'entry'],
  check({ subject, facts }) {
    const program = entryProgram(subject, facts);
    if (program === undefined) return findings();
    const { elf, path } = program;
    const isStatic = elf.interpreter === undefined && elf.needed.length === 0;
    const glibc = glibcNeeded(elf);
    const what = isStatic
      ? 'a static executable, which needs nothing'
      : `a dynamic one, which needs ${elf.needed.map(printable).join(', ') || 'a loader'}${glibc === undefined ? '' : `, glibc ${glibc.join('.')} or newer`}`;
    const wanted = (facts.byLanguage as CompiledKeys | undefined)?.linkage;
    const isOther = wanted !== undefined && (wanted === 'static') !== isStatic;
    if (isStatic && !isOther) return findings();
    return findings({
      level: isOther ? 'stop' : 'note',
      where: printable(path),
      expected: isOther ? `a ${wanted} executable, as the sheet asks` : 'an executable whose needs are known',
      found: what,
      mend: isOther
        ? 'see which library or flag makes it so'
        : 'set `build: { linkage: static }` for one that needs nothing',
    });
  },
};
