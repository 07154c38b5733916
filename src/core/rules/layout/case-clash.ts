import { printable } from '../../base/text';
import { findings, type Finding, type Rule } from '../../findings/rule';

export const layoutCaseClash: Rule = {
  id: 'layout/case-clash',
  level: 'warn',
  title: 'No two paths differ only in case, or in how an accent is written',
  why: 'On systems that do not tell such names apart, one of the two files silently replaces the other.',
  mend: 'Rename one of the two.',
  needs: [],
  check({ subject }) {
    const seen = new Map<string, string>();
    const found: Finding[] = [];
    for (const { path } of subject.entries) {
      const folded = path.normalize('NFC').toLowerCase();
      const other = seen.get(folded);
      if (other === undefined) seen.set(folded, path);
      else if (other !== path)
        found.push({
          level: 'warn',
          where: printable(path),
          expected: 'names that every system tells apart',
          found: `\`${printable(other)}\` beside it`,
          mend: 'rename one of the two',
        });
    }
    return findings(...found);
  },
};
