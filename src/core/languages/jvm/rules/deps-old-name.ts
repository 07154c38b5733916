import { Lines } from '../../../base/lines';
import { literalPattern, printable } from '../../../base/text';
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
    const { relocate = [], except = [] } = (facts.byLanguage ?? {}) as Partial<JvmKeys>;
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
  const lines = new Lines(text);
  return moves.flatMap(spellingsOf).flatMap((spelling) =>
    oldNames(text, spelling)
      .filter(({ name }) => !stays(name.replaceAll('/', '.'), except))
      .map(({ name, at }) => ({
        level: 'warn',
        where: printable(`${path}:${String(lines.placeOf(at).line + 1)}`),
        expected: `\`${printable(spelling.now)}\`, to which the package moved`,
        found: `\`${printable(name)}\``,
        mend: 'write the new name there, if something reads it; or accept it',
      })),
  );
}

/** How a package was written, and how it is now. */
interface Spelling {
  readonly old: string;
  readonly now: string;
}

function spellingsOf({ from, to }: JvmKeys['relocate'][number]): Spelling[] {
  const dotted = { old: from, now: to };
  return from.includes('.') ? [dotted, { old: from.replaceAll('.', '/'), now: to.replaceAll('.', '/') }] : [dotted];
}

/** Names below a package where a text has them in full, as the end of the new name does not count. */
function oldNames(text: string, { old, now }: Spelling): { readonly name: string; readonly at: number }[] {
  if (!text.includes(old)) return [];
  const word = new RegExp(`(?<![\\w$])${literalPattern(old)}(?=[./](?<rest>[\\w$./]+)|(?![\\w$]))`, 'g');
  return [...text.matchAll(word)].flatMap(({ index: at, groups }) => {
    const isNew = now.endsWith(old) && text.slice(0, at + old.length).endsWith(now);
    return isNew ? [] : [{ name: old + (groups?.rest === undefined ? '' : `.${groups.rest}`), at }];
  });
}

/** Whether a pattern of names that stay may mean it: `old.pkg.api.**`. */
function stays(name: string, except: readonly string[]): boolean {
  return except.some((pattern) => name.startsWith(pattern.replace(/\.?\*.*$/, '')));
}
