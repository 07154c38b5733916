import { printable } from '../base/text';
import { findPythonMember, type Parameters } from '../languages/python';
import { asPython, PYTHON } from './python';
import { findings, type Rule } from './rule';

/** The host calls `member(event, context)`. */
const ARGUMENTS = 2;

export const entryParameters: Rule = {
  id: 'entry/parameters',
  level: 'stop',
  title: 'The entry can be called with an event and a context',
  why: 'A function that takes another number of parameters fails at its first call, and at every one after.',
  mend: 'Give the function two parameters, `event` and `context`.',
  needs: ['entry', 'runtime'],
  languages: PYTHON,
  check({ subject, facts: { entry, adapter } }) {
    // A web application is called by its adapter, which knows how.
    if (entry === undefined || adapter !== undefined) return findings();
    const verdict = findPythonMember(asPython(subject), entry.file, entry.member);
    if (verdict.kind !== 'found' || verdict.member.kind !== 'function' || verdict.member.isDecorated) return findings();
    const wrong = wrongness(verdict.member.parameters);
    if (wrong === undefined) return findings();
    return findings({
      level: 'stop',
      where: printable(verdict.file),
      expected: `\`${entry.member}(event, context)\``,
      found: wrong,
      mend: `write \`def ${entry.member}(event, context):\``,
    });
  },
};

function wrongness({ least, most, namedOnly }: Parameters): string | undefined {
  if (namedOnly.length > 0) return `a parameter that must be given by name, \`${namedOnly[0] ?? ''}\``;
  if (least > ARGUMENTS) return `a function that wants ${String(least)} arguments`;
  return most !== undefined && most < ARGUMENTS
    ? `a function that takes ${most === 0 ? 'no arguments' : 'one argument'}`
    : undefined;
}
