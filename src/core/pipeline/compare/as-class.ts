/** Class files: version, members, code by what it names, and the constants that only one of the two has. */
import {
  isClassFile,
  javaOfClassVersion,
  readClass,
  TAG,
  type ClassFile,
  type ConstantPool,
  type Member,
} from '../../formats/classfile';
import { attributesFacts, memberFacts } from './class-facts';
import type { Comparer, Detail, Difference } from '../../forms/comparing';

const MOST_NAMES = 12;
const MOST_CLASS_BYTES = 16 * 1024 ** 2;

export const asClass: Comparer = (a, b, comparing, where) => {
  if (a.source.size > MOST_CLASS_BYTES || b.source.size > MOST_CLASS_BYTES) return undefined;
  const [first, second] = [a.source.read(0, a.source.size), b.source.read(0, b.source.size)];
  if (!isClassFile(first) || !isClassFile(second)) return undefined;
  const [x, y] = [readClass(first), readClass(second)];
  const rows: readonly Detail[] = [
    { what: 'class file version', a: versionOf(x), b: versionOf(y) },
    { what: 'name', a: x.name, b: y.name },
    { what: 'extends', a: x.superName ?? 'nothing', b: y.superName ?? 'nothing' },
    { what: 'implements', a: x.interfaces.join(', '), b: y.interfaces.join(', ') },
    { what: 'access', a: x.access.toString(16), b: y.access.toString(16) },
    ...attributeDetails(x, y),
  ];
  const details = rows.filter((row) => row.a !== row.b);
  const inside = [
    ...memberDifferences('field', x, y, ({ fields }) => fields),
    ...memberDifferences('method', x, y, ({ methods }) => methods),
  ];
  const pool = poolDetails(x.pool, y.pool);
  if (x.major !== y.major) comparing.note('tool', where === '' ? a.name : where, versionOf(x), versionOf(y));
  const isSaidOnly = details.length === 0 && inside.length === 0 && pool.length === 0;
  const order = isSaidOnly ? [{ what: 'order of constants', a: 'one', b: 'another' }] : [];
  if (isSaidOnly) comparing.note('tool', where === '' ? a.name : where, 'constants in one order', 'in another');
  return {
    as: 'class file',
    details: [...details, ...pool, ...order],
    inside,
    ...(isSaidOnly && { cause: 'tool' as const }),
  };
};

function versionOf({ major, minor }: ClassFile): string {
  return `${String(major)}.${String(minor)}, of release ${String(javaOfClassVersion(major))}`;
}

/** Attributes of the class itself, told where what they say is not the same. */
function attributeDetails(x: ClassFile, y: ClassFile): Detail[] {
  const names = [...new Set([...x.attributes, ...y.attributes].map(({ name }) => name))].sort();
  return names.map((name): Detail => {
    const facts = ({ attributes, pool }: ClassFile): string => {
      const own = attributes.filter((one) => one.name === name);
      return own.length === 0 ? 'nothing' : attributesFacts(own, pool).slice(name.length + 1);
    };
    return { what: name, a: facts(x), b: facts(y) };
  });
}

function memberDifferences(
  as: string,
  x: ClassFile,
  y: ClassFile,
  of: (one: ClassFile) => readonly Member[],
): Difference[] {
  const byKey = (one: ClassFile): Map<string, Member> =>
    new Map(of(one).map((member) => [`${member.name}${member.descriptor}`, member]));
  const [first, second] = [byKey(x), byKey(y)];
  return [...new Set([...first.keys(), ...second.keys()])].flatMap((path): Difference[] => {
    const [from, to] = [first.get(path), second.get(path)];
    const by = sizeOf(to) - sizeOf(from);
    if (from === undefined || to === undefined)
      return [{ change: from === undefined ? 'added' : 'removed', path, by, as, details: [] }];
    if (memberFacts(from, x.pool) === memberFacts(to, y.pool)) return [];
    return [{ change: 'changed', path, by, as, details: codeDetails(from, to) }];
  });
}

function sizeOf(member: Member | undefined): number {
  return member?.attributes.reduce((sum, { data }) => sum + data.length, 0) ?? 0;
}

function codeDetails(a: Member, b: Member): Detail[] {
  const code = (member: Member): string => {
    const found = member.attributes.find(({ name }) => name === 'Code');
    return found === undefined ? 'none' : `${String(found.data.length)} bytes`;
  };
  return code(a) === code(b) ? [] : [{ what: 'code', a: code(a), b: code(b) }];
}

/** Texts that only one of the two has. */
function poolDetails(a: ConstantPool, b: ConstantPool): Detail[] {
  const texts = (pool: ConstantPool): Set<string> => {
    const found = new Set<string>();
    for (let i = 1; i < pool.size; i++) if (pool.tag(i) === TAG.utf8) found.add(pool.text(i));
    return found;
  };
  const [x, y] = [texts(a), texts(b)];
  const listed = (all: readonly string[]): string => {
    const shown = all.slice(0, MOST_NAMES).map((one) => JSON.stringify(one.length > 80 ? `${one.slice(0, 80)}…` : one));
    return `${shown.join(', ')}${all.length > MOST_NAMES ? ` and ${String(all.length - MOST_NAMES)} more` : ''}`;
  };
  const [gone, come] = [[...x].filter((text) => !y.has(text)), [...y].filter((text) => !x.has(text))];
  return gone.length === 0 && come.length === 0 ? [] : [{ what: 'constants', a: listed(gone), b: listed(come) }];
}
