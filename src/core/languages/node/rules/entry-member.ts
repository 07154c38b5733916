/** What is wrong with the member that the host calls, and with what it takes. */
import { printable } from '../../../base/text';
import { EVENT_AND_CONTEXT, forgottenAdapter, missingMember, unseenMember } from '../../../findings/members';
import type { Finding, Subject } from '../../../findings/rule';
import type { Entry } from '../../../sheet';
import { findMember } from '../view/entry';
import type { Exported } from '../view/module-exports';
import { answersRequests, hasRoutes, isMadeByWebPackage } from '../view/web-application';

/** What is wrong with the member that is called; undefined where nothing is, or nobody can tell. */
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
export function judgeParameters(
  { readText }: Pick<Subject, 'readText'>,
  entry: Entry,
  hasAdapter: boolean,
): Finding | undefined {
  const verdict = findMember(readText, entry.file, entry.member);
  if (verdict.kind !== 'found') return undefined;
  const file = verdict.file ?? entry.file;
  const web = hasAdapter ? undefined : webApplication(verdict.exported, readText(file) ?? '', entry.member);
  if (web !== undefined) return forgottenAdapter({ where: printable(file), entry, value: 'http', ...web });
  if ((verdict.wanted ?? 0) <= EVENT_AND_CONTEXT) return undefined;
  return {
    level: 'warn',
    where: printable(file),
    expected: `\`${entry.member}(event, context)\``,
    found: `a function that counts on ${String(verdict.wanted)} arguments; what is not given is undefined`,
    mend: 'return the result, or a promise of it, instead of calling back; give a default to what may be missing',
  };
}

/** What says that a member is a web application; undefined where nothing does. */
function webApplication(
  exported: Exported | undefined,
  text: string,
  member: string,
): { readonly why: string; readonly isGuess?: true } | undefined {
  if (exported === undefined) return undefined;
  const { parameters = [], callable } = exported;
  if (answersRequests(parameters)) return { why: `it takes \`${parameters.join('` and `')}\``, isGuess: true };
  if (callable !== 'unknown') return undefined;
  if (isMadeByWebPackage(text, member)) return { why: 'a package of web applications makes it' };
  return hasRoutes(text, member) ? { why: 'it has pages by their paths', isGuess: true } : undefined;
}
