/** What is wrong with the member that the host calls, and with what it takes. */
import { printable } from '../../../base/text';
import { EVENT_AND_CONTEXT, missingMember, unseenMember } from '../../../findings/members';
import type { Finding, Subject } from '../../../findings/rule';
import type { Entry } from '../../../sheet';
import { findMember } from '../entry';

export function judgeMember({ readText }: Pick<Subject, 'readText'>, { file, member }: Entry): Finding | undefined {
  const where = printable(file);
  const expected = `a function \`${member}\` among what \`${where}\` exports`;
  const verdict = findMember(readText, file, member);
  switch (verdict.kind) {
    case 'found':
      return undefined;
    case 'not-callable': {
      const found = `\`${member}\`, which is ${verdict.what}`;
      return { level: 'stop', where, expected, found, mend: 'export a function' };
    }
    case 'syntax': {
      const { line, column, message } = verdict.fault;
      const at = `${printable(verdict.file)}:${String(line)}:${String(column)}`;
      const right = 'JavaScript that can be parsed';
      return { level: 'stop', where: at, expected: right, found: message, mend: 'mend the line' };
    }
    case 'unseen': {
      const at =
        verdict.line === undefined ? printable(verdict.file) : `${printable(verdict.file)}:${String(verdict.line)}`;
      return unseenMember(at, expected, verdict.why);
    }
    case 'missing':
      return missingMember({ where, member, expected, members: verdict.members });
  }
}

/** JavaScript calls a function with any number of arguments; what is not given is undefined. */
export function judgeParameters({ readText }: Pick<Subject, 'readText'>, entry: Entry): Finding | undefined {
  const verdict = findMember(readText, entry.file, entry.member);
  if (verdict.kind !== 'found' || (verdict.wanted ?? 0) <= EVENT_AND_CONTEXT) return undefined;
  return {
    level: 'warn',
    where: printable(verdict.file ?? entry.file),
    expected: `\`${entry.member}(event, context)\``,
    found: `a function that counts on ${String(verdict.wanted)} arguments; what is not given is undefined`,
    mend: 'return the result, or a promise of it, instead of calling back; give a default to what may be missing',
  };
}
