/** What is wrong with the class and the method that the host calls, and with what that takes. */
import { ownOf } from '../../../base/own';
import { nearestWord, printable } from '../../../base/text';
import { missingMember } from '../../../findings/members';
import type { Finding } from '../../../findings/rule';
import { ACC, parameterTypes } from '../../../formats/classfile';
import type { Entry } from '../../../sheet';
import { findJvmEntry, type JvmView } from '../view/artifact-view';

/** The JVM loads a class by its name, not a file by its path. */
export function missingClass({ classes }: JvmView, { file, member }: Entry): Finding | undefined {
  const name = file.replaceAll('.', '/');
  if (classes.has(name)) return undefined;
  const names = [...classes.keys()];
  const simple = name.slice(name.lastIndexOf('/') + 1);
  const near =
    names.find((one) => one.toLowerCase() === name.toLowerCase()) ??
    names.find((one) => one.endsWith(`/${simple}`)) ??
    nearestWord(name, names.slice(0, 5000));
  const shown = near?.replaceAll('/', '.');
  return {
    level: 'stop',
    where: printable(file),
    expected: `the class \`${printable(file)}\``,
    found: shown === undefined ? 'no such class' : `no such class, but \`${printable(shown)}\``,
    mend: shown === undefined ? 'correct `entry`' : `write \`entry: ${printable(shown)}#${member}\``,
  };
}

/** What is wrong with the method that is called; undefined where nothing is. */
export function judgeMember(view: JvmView, { file, member }: Entry): Finding | undefined {
  const where = printable(file);
  const expected = `one public method \`${member}\` of \`${where}\`, static or of an object that can be made`;
  const verdict = findJvmEntry(view, file, member);
  if (verdict.kind === 'no-method') return missingMember({ where, member, expected, members: verdict.names });
  if (verdict.kind === 'not-callable')
    return { level: 'stop', where, expected, found: verdict.what, mend: verdict.mend };
  if (verdict.kind !== 'ambiguous') return undefined;
  const found = `${String(verdict.descriptors.length)} of that name, so that the host cannot tell which is meant`;
  return { level: 'stop', where, expected, found, mend: 'give the one that the host calls a name of its own' };
}

/** The event as text, bytes or an object; after it the context. */
const CONTEXT_TYPES = /^L(?:java\/util\/Map|java\/lang\/Object);$/;

/** What is wrong with its parameters; undefined where nothing is. */
export function judgeParameters(view: JvmView, entry: Entry): Finding | undefined {
  const verdict = findJvmEntry(view, entry.file, entry.member);
  if (verdict.kind !== 'found') return undefined;
  const types = parameterTypes(verdict.method.descriptor);
  if (canBeSupplied(types)) return hardToFill(view, entry, types[0] ?? '');
  const shown = types.map((type) => typeName(type)).join(', ');
  return {
    level: 'stop',
    where: printable(entry.file),
    expected: `\`${entry.member}(event)\` or \`${entry.member}(event, Map context)\`, the event an object, a Map, a String, bytes or an InputStream`,
    found: `\`${entry.member}(${printable(shown)})\``,
    mend: 'take the event, and the context as `Map<String, Object>` if it is wanted',
  };
}

/** Types that JSON has no value for, and that readers of JSON know only when they are told how. */
const WITHOUT_JSON = /^L(?:java\/util\/Optional\w*|java\/time\/\w+);$/;

/** Fields of the event that whoever makes it from JSON may not know how to fill. */
function hardToFill({ classes }: JvmView, { file, member }: Entry, type: string): Finding | undefined {
  const fields = classes.get(type.slice(1, -1))?.fields ?? [];
  const hard = fields.filter(({ descriptor, access }) => (access & ACC.static) === 0 && WITHOUT_JSON.test(descriptor));
  const [first] = hard;
  if (first === undefined) return undefined;
  return {
    level: 'warn',
    where: printable(file),
    expected: `an event whose fields JSON can fill, in \`${member}(${printable(typeName(type))})\``,
    found: hard.map(({ name, descriptor }) => `\`${printable(`${typeName(descriptor)} ${name}`)}\``).join(', '),
    mend: 'take texts or numbers there and make of them what you need; `null` says that something is not given',
  };
}

function canBeSupplied(types: readonly string[]): boolean {
  const isStreams = types[0] === 'Ljava/io/InputStream;' && types[1] === 'Ljava/io/OutputStream;';
  const [first = '', context, ...rest] = isStreams ? types.slice(1) : types;
  return rest.length === 0 && /^L|^\[B$/.test(first) && (context === undefined || CONTEXT_TYPES.test(context));
}

function typeName(descriptor: string): string {
  const inner = descriptor.replace(/^\[+/, '');
  const name = inner.startsWith('L')
    ? inner.slice(inner.lastIndexOf('/') + 1, -1)
    : (ownOf(PRIMITIVES, inner) ?? inner);
  return name + '[]'.repeat(descriptor.length - inner.length);
}

const PRIMITIVES: Readonly<Record<string, string>> = {
  B: 'byte',
  C: 'char',
  D: 'double',
  F: 'float',
  I: 'int',
  J: 'long',
  S: 'short',
  Z: 'boolean',
};
