/** What is wrong with the member that the host calls, and with what it takes. */
import { printable } from '../../../base/text';
import { EVENT_AND_CONTEXT, missingMember, unseenMember } from '../../../findings/members';
import type { Finding } from '../../../findings/rule';
import type { Entry } from '../../../sheet';
import type { PythonArtifact } from '../artifact-view';
import { findPythonMember } from '../entry';
import type { Parameters } from '../trace/definitions';

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

export function judgeParameters(artifact: PythonArtifact, entry: Entry): Finding | undefined {
  const verdict = findPythonMember(artifact, entry.file, entry.member);
  if (verdict.kind !== 'found' || verdict.member.kind !== 'function' || verdict.member.isDecorated) return undefined;
  const wrong = wrongness(verdict.member.parameters);
  if (wrong === undefined) return undefined;
  return {
    level: 'stop',
    where: printable(verdict.file),
    expected: `\`${entry.member}(event, context)\``,
    found: wrong,
    mend: `write \`def ${entry.member}(event, context):\``,
  };
}

function wrongness({ least, most, namedOnly }: Parameters): string | undefined {
  if (namedOnly.length > 0) return `a parameter that must be given by name, \`${namedOnly[0] ?? ''}\``;
  if (least > EVENT_AND_CONTEXT) return `a function that wants ${String(least)} arguments`;
  return most !== undefined && most < EVENT_AND_CONTEXT
    ? `a function that takes ${most === 0 ? 'no arguments' : 'one argument'}`
    : undefined;
}
