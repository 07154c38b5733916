import { printable } from '../../base/text';
import { PF, PT, type ElfFile } from '../../formats/elf';
import { nativeFiles } from '../../findings/native-files';
import { findings, type Finding, type Rule } from '../../findings/rule';

export const nativeWritableCode: Rule = {
  id: 'native/writable-code',
  level: 'warn',
  title: 'No compiled file has code that can be written to',
  why: 'Memory that can be written and executed at once lets an attacker’s data run. Hardened systems do not load such a file.',
  mend: 'Compile with `-fPIC`, and link without `-N`, `--omagic` or a linker script that joins code and data.',
  needs: [],
  check({ subject }) {
    const found: Finding[] = [];
    for (const { path, elf } of nativeFiles(subject)) {
      const what = writableCode(elf);
      if (what === undefined) continue;
      found.push({
        level: 'warn',
        where: printable(path),
        expected: 'code apart from data',
        found: what,
        mend: 'compile with `-fPIC` and link in the usual way',
      });
    }
    return findings(...found);
  },
};

function writableCode(elf: ElfFile): string | undefined {
  const both = PF.executable | PF.writable;
  if (elf.segments.some(({ type, flags }) => type === PT.load && (flags & both) === both))
    return 'a segment that can be written and executed';
  return elf.writesCode ? 'code that the loader has to write into (TEXTREL)' : undefined;
}
