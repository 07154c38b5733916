import { printable } from '../../../base/text';
import { findings, type Finding, type Rule } from '../../../findings/rule';
import { kindOf } from '../shade/jar-entries';
import type { JvmKeys } from '../own';

const MAX_TEXT_BYTES = 1024 * 1024;
const SHOWN_PLACES = 20;

export const depsOldName: Rule = {
  id: 'deps/old-name',
  level: 'warn',
  title: 'No text names a package by the name that it had before it moved',
  why: 'Names of moved classes move in texts where they stand by themselves. What is written in another way is left, and whoever reads it looks for a package that is not there.',
  mend: 'Write the new name in the file, or let the package stay where it is.',
  needs: ['runtime', 'waybill'],
  check({ subject, facts }) {
    const { relocate = [], except = [] } = (facts.own ?? {}) as Partial<JvmKeys>;
    const moves = relocate.filter(({ within }) => within === undefined);
    if (moves.length === 0) return findings();
    const found: Finding[] = [];
    for (const { path, kind, size } of subject.entries) {
      if (kind !== 'file' || kindOf(path) !== 'resource' || size > MAX_TEXT_BYTES) continue;
      const text = subject.readText(path);
      if (text !== undefined && !text.includes('\0')) found.push(...leftIn(path, text, moves, except));
      if (found.length >= SHOWN_PLACES) break;
    }
    return findings(...found.slice(0, SHOWN_PLACES));
  },
};

function leftIn(path: string, text: string, moves: JvmKeys['relocate'], except: readonly string[]): Finding[] {
  return moves.flatMap(({ from, to }) => {
    const spellings = [from, from.replaceAll('.', '/')].filter((one) => text.includes(one));
    return [...new Set(spellings)].flatMap((old): Finding[] => {
      const word = new RegExp(`(?<![\\w$])${old.replaceAll('.', '\\.')}(?=[./](?<rest>[\\w$./]+)|(?![\\w$]))`, 'g');
      const now = old === from ? to : to.replaceAll('.', '/');
      return [...text.matchAll(word)].flatMap((match): Finding[] => {
        const name = old + (match.groups?.rest === undefined ? '' : `.${match.groups.rest}`);
        const end = match.index + old.length;
        const isNew = now.endsWith(old) && text.slice(0, end).endsWith(now);
        if (isNew || stays(name.replaceAll('/', '.'), except)) return [];
        const line = text.slice(0, match.index).split('\n').length;
        return [
          {
            level: 'warn',
            where: printable(`${path}:${String(line)}`),
            expected: `\`${printable(now)}\`, to which the package moved`,
            found: `\`${printable(name)}\``,
            mend: 'write the new name there, if something reads it; or accept it',
          },
        ];
      });
    });
  });
}

/** Whether a pattern of names that stay may mean it: `old.pkg.api.**`. */
function stays(name: string, except: readonly string[]): boolean {
  return except.some((pattern) => name.startsWith(pattern.replace(/\.?\*.*$/, '')));
}
