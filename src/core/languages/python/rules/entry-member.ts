/** What is wrong with the member that the host calls, and with what it takes. */
import { printable } from '../../../base/text';
import { EVENT_AND_CONTEXT, forgottenAdapter, missingMember, unseenMember } from '../../../findings/members';
import type { Finding, ReadText } from '../../../findings/rule';
import type { Entry } from '../../../sheet';
import type { PythonArtifact } from '../view/artifact-view';
import { findPythonMember } from '../view/entry';
import type { Member, Parameters } from '../trace/definitions';
import { applicationNamed, webShape, type WebInterface } from '../view/web-application';

/** What is wrong with the member that is called; undefined where nothing is, or nobody can tell. */
export function judgeMember(artifact: PythonArtifact, { file, member }: Entry): Finding | undefined {
  const where = printable(file);
  const expected = `something to call, \`${member}\`, among what \`${where}\` defines`;
  const verdict = findPythonMember(artifact, file, member);
  if (verdict.kind === 'missing') return missingMember({ where, member, expected, members: verdict.members });
  if (verdict.kind === 'unseen') return unseenMember(printable(verdict.file), expected, verdict.why);
  if (verdict.member.kind !== 'constant') return undefined;
  const found = `\`${member}\`, which is ${verdict.member.what}`;
  return { level: 'stop', where, expected, found, mend: 'name a function' };
}

/** @param readText of the artifact, for what only the text tells */
export function judgeParameters(
  artifact: PythonArtifact,
  entry: Entry,
  { readText, hasAdapter }: { readonly readText: ReadText; readonly hasAdapter: boolean },
): Finding | undefined {
  const verdict = findPythonMember(artifact, entry.file, entry.member);
  if (verdict.kind !== 'found') return undefined;
  const { file, member } = verdict;
  if (!hasAdapter) {
    const web = webInterface(member, entry.member, readText(file) ?? '');
    if (web !== undefined) return forgottenAdapter({ where: printable(file), entry, ...web });
  }
  if (member.kind !== 'function' || member.isDecorated) return undefined;
  const wrong = wrongness(member.parameters);
  if (wrong === undefined) return undefined;
  return {
    level: 'stop',
    where: printable(file),
    expected: `\`${entry.member}(event, context)\``,
    found: wrong,
    mend: `write \`def ${entry.member}(event, context):\``,
  };
}

function webInterface(member: Member, name: string, text: string): WebInterface | undefined {
  if (member.kind === 'value') return applicationNamed(text, name);
  return member.kind === 'function' ? webShape(member.parameters.names, member.isAsync) : undefined;
}

function wrongness({ least, most, namedOnly }: Parameters): string | undefined {
  if (namedOnly.length > 0) return `a parameter that must be given by name, \`${namedOnly[0] ?? ''}\``;
  if (least > EVENT_AND_CONTEXT) return `a function that wants ${String(least)} arguments`;
  return most !== undefined && most < EVENT_AND_CONTEXT
    ? `a function that takes ${most === 0 ? 'no arguments' : 'one argument'}`
    : undefined;
}
