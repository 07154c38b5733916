import { printable } from '../base/text';
import { parameterTypes } from '../formats/classfile';
import { findJvmEntry, type JvmView } from '../languages/jvm';
import { findMember } from '../languages/node';
import { findPythonMember, type Parameters } from '../languages/python';
import type { Entry } from '../sheet';
import { asPython } from '../languages/python/rules/shared';
import { findings, type Finding, type Rule, type RuleResult, type Subject } from '../findings/rule';

/** The host calls `member(event, context)`. */
const ARGUMENTS = 2;

export const entryParameters: Rule = {
  id: 'entry/parameters',
  level: 'stop',
  title: 'The entry can be called with an event and a context',
  why: 'A Python function that takes another number of parameters fails at its first call, and at every one after. One in JavaScript that counts on a third argument, a callback say, is never given it.',
  mend: 'Give the function two parameters, `event` and `context`; return a value or a promise rather than calling back.',
  needs: ['entry', 'runtime'],
  languages: ['python', 'node', 'java'],
  check({ subject, facts: { entry, adapter } }) {
    // A web application is called by its adapter, which knows how.
    if (entry === undefined || adapter !== undefined) return findings();
    if (subject.jvm !== undefined) return judgeJvm(subject.jvm, entry);
    const finding = entry.file.endsWith('.py') ? judgePython(subject, entry) : judgeNode(subject, entry);
    return finding === undefined ? findings() : findings(finding);
  },
};

function judgePython(subject: Subject, entry: Entry): Finding | undefined {
  const verdict = findPythonMember(asPython(subject), entry.file, entry.member);
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

/** JavaScript calls a function with any number of arguments; what is not given is undefined. */
function judgeNode(subject: Subject, entry: Entry): Finding | undefined {
  const verdict = findMember(subject.readText, entry.file, entry.member);
  if (verdict.kind !== 'found' || (verdict.wanted ?? 0) <= ARGUMENTS) return undefined;
  return {
    level: 'warn',
    where: printable(verdict.file ?? entry.file),
    expected: `\`${entry.member}(event, context)\``,
    found: `a function that counts on ${String(verdict.wanted)} arguments; what is not given is undefined`,
    mend: 'return the result, or a promise of it, instead of calling back; give a default to what may be missing',
  };
}

/** The event as text, bytes or an object; after it the context. */
const CONTEXT_TYPES = /^L(?:java\/util\/Map|java\/lang\/Object);$/;

function judgeJvm(view: JvmView, entry: Entry): RuleResult {
  const verdict = findJvmEntry(view, entry.file, entry.member);
  if (verdict.kind !== 'found') return findings();
  const types = parameterTypes(verdict.method.descriptor);
  if (canBeSupplied(types)) return findings();
  const shown = types.map((type) => typeName(type)).join(', ');
  return findings({
    level: 'stop',
    where: printable(entry.file),
    expected: `\`${entry.member}(event)\` or \`${entry.member}(event, Map context)\`, the event an object, a Map, a String, bytes or an InputStream`,
    found: `\`${entry.member}(${printable(shown)})\``,
    mend: 'take the event, and the context as `Map<String, Object>` if it is wanted',
  });
}

function canBeSupplied(types: readonly string[]): boolean {
  const isStreams = types[0] === 'Ljava/io/InputStream;' && types[1] === 'Ljava/io/OutputStream;';
  const [first = '', context, ...rest] = isStreams ? types.slice(1) : types;
  return rest.length === 0 && /^L|^\[B$/.test(first) && (context === undefined || CONTEXT_TYPES.test(context));
}

function typeName(descriptor: string): string {
  const inner = descriptor.replace(/^\[+/, '');
  const name = inner.startsWith('L') ? inner.slice(inner.lastIndexOf('/') + 1, -1) : (PRIMITIVES[inner] ?? inner);
  return name + '[]'.repeat(descriptor.length - inner.length);
}

const PRIMITIVES: Readonly<Record<string, string>> = {
  ...{ B: 'byte', C: 'char', D: 'double', F: 'float' },
  ...{ I: 'int', J: 'long', S: 'short', Z: 'boolean' },
};

function wrongness({ least, most, namedOnly }: Parameters): string | undefined {
  if (namedOnly.length > 0) return `a parameter that must be given by name, \`${namedOnly[0] ?? ''}\``;
  if (least > ARGUMENTS) return `a function that wants ${String(least)} arguments`;
  return most !== undefined && most < ARGUMENTS
    ? `a function that takes ${most === 0 ? 'no arguments' : 'one argument'}`
    : undefined;
}
