import { listed, nearestWord, printable } from '../base/text';
import { findMember } from '../languages/node';
import { findJvmEntry, type JvmView } from '../languages/jvm';
import { findPythonMember } from '../languages/python';
import type { Entry } from '../sheet';
import { JVM } from '../languages/jvm/rules/shared';
import { NODE } from '../languages/node/rules/shared';
import { asPython, PYTHON } from '../languages/python/rules/shared';
import { findings, type Finding, type Rule, type Subject } from '../findings/rule';

const SHOWN_MEMBERS = 8;

export const entryMissingMember: Rule = {
  id: 'entry/missing-member',
  level: 'stop',
  title: 'The entry’s file exports a function of that name',
  why: 'The name in the configuration and the name in the code drift apart, and nothing says so before the first call. The module is parsed, not run: named, default, CommonJS and re-exported members are seen.',
  mend: 'Correct the member’s name in `entry`, or export it.',
  needs: ['entry'],
  languages: [...PYTHON, ...NODE, ...JVM],
  check({ subject, facts: { entry } }) {
    // A file that is missing is another rule's finding.
    if (entry !== undefined && subject.jvm !== undefined) {
      const finding = judgeJvm(subject.jvm, entry);
      return finding === undefined ? findings() : findings(finding);
    }
    if (entry === undefined || !subject.entries.some((e) => e.path === entry.file)) return findings();
    const finding = entry.file.endsWith('.py') ? judgePython(subject, entry) : judge(subject, entry);
    return finding === undefined ? findings() : findings(finding);
  },
};

function judge(subject: Subject, { file, member }: Entry): Finding | undefined {
  const where = printable(file);
  const expected = `a function \`${member}\` among what \`${where}\` exports`;
  const verdict = findMember(subject.readText, file, member);
  switch (verdict.kind) {
    case 'found':
      return undefined;
    case 'not-callable':
      return {
        level: 'stop',
        where,
        expected,
        found: `\`${member}\`, which is ${verdict.what}`,
        mend: 'export a function',
      };
    case 'syntax': {
      const { line, column, message } = verdict.fault;
      const at = `${printable(verdict.file)}:${String(line)}:${String(column)}`;
      return {
        level: 'stop',
        where: at,
        expected: 'JavaScript that can be parsed',
        found: message,
        mend: 'mend the line',
      };
    }
    case 'unseen': {
      const at =
        verdict.line === undefined ? printable(verdict.file) : `${printable(verdict.file)}:${String(verdict.line)}`;
      return unseen(at, expected, verdict.why);
    }
    case 'missing':
      return missing(where, member, expected, verdict.members);
  }
}

function judgePython(subject: Subject, { file, member }: Entry): Finding | undefined {
  const where = printable(file);
  const expected = `something to call, \`${member}\`, among what \`${where}\` defines`;
  const verdict = findPythonMember(asPython(subject), file, member);
  if (verdict.kind === 'missing') return missing(where, member, expected, verdict.members);
  if (verdict.kind === 'unseen') return unseen(printable(verdict.file), expected, verdict.why);
  if (verdict.member.kind !== 'constant') return undefined;
  return {
    level: 'stop',
    where,
    expected,
    found: `\`${member}\`, which is ${verdict.member.what}`,
    mend: 'name a function',
  };
}

function judgeJvm(view: JvmView, { file, member }: Entry): Finding | undefined {
  const where = printable(file);
  const expected = `one public method \`${member}\` of \`${where}\`, static or of an object that can be made`;
  const verdict = findJvmEntry(view, file, member);
  if (verdict.kind === 'no-method') return missing(where, member, expected, verdict.names);
  if (verdict.kind === 'not-callable')
    return { level: 'stop', where, expected, found: verdict.what, mend: verdict.mend };
  if (verdict.kind !== 'ambiguous') return undefined;
  const found = `${String(verdict.descriptors.length)} of that name, so that the host cannot tell which is meant`;
  return { level: 'stop', where, expected, found, mend: 'give the one that the host calls a name of its own' };
}

function unseen(where: string, expected: string, why: string): Finding {
  return {
    level: 'note',
    where,
    expected,
    found: `no way to tell by reading: ${printable(why)}`,
    mend: 'try the function, which loads it for real',
  };
}

function missing(where: string, member: string, expected: string, members: readonly string[]): Finding {
  const near = nearestWord(member, members);
  const names = members.slice(0, SHOWN_MEMBERS).map((m) => `\`${printable(m)}\``);
  const more = members.length > SHOWN_MEMBERS ? [`${String(members.length - SHOWN_MEMBERS)} more`] : [];
  const found = members.length === 0 ? 'no exports at all' : `only ${listed([...names, ...more])}`;
  return {
    level: 'stop',
    where,
    expected,
    found,
    mend: near === undefined ? 'correct `entry`, or export it' : `did you mean \`${where}#${printable(near)}\`?`,
  };
}
