/** Class files: version, members, code by what it names, and the constants that only one of the two has. */
import {
  instructions,
  isClassFile,
  javaOfClassVersion,
  readClass,
  readCode,
  TAG,
  constantUses,
  type ClassFile,
  type ConstantPool,
  type Member,
} from '../../formats/classfile';
import type { Comparer } from './comparing';
import type { Detail, Difference } from './model';

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
    { what: 'attributes', a: attributesOf(x), b: attributesOf(y) },
  ];
  const details = rows.filter((row) => row.a !== row.b);
  const inside = [
    ...memberDifferences(
      'field',
      x.fields,
      y.fields,
      (one) => facts(one, x.pool),
      (one) => facts(one, y.pool),
    ),
    ...memberDifferences(
      'method',
      x.methods,
      y.methods,
      (one) => facts(one, x.pool),
      (one) => facts(one, y.pool),
    ),
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

function attributesOf({ attributes }: ClassFile): string {
  return attributes
    .map(({ name }) => name)
    .sort()
    .join(', ');
}

function memberDifferences(
  as: string,
  a: readonly Member[],
  b: readonly Member[],
  factsA: (one: Member) => string,
  factsB: (one: Member) => string,
): Difference[] {
  const key = ({ name, descriptor }: Member): string => `${name}${descriptor}`;
  const [first, second] = [new Map(a.map((one) => [key(one), one])), new Map(b.map((one) => [key(one), one]))];
  return [...new Set([...first.keys(), ...second.keys()])].flatMap((path): Difference[] => {
    const [from, to] = [first.get(path), second.get(path)];
    const by = sizeOf(to) - sizeOf(from);
    if (from === undefined || to === undefined)
      return [{ change: from === undefined ? 'added' : 'removed', path, by, as, details: [] }];
    return factsA(from) === factsB(to) ? [] : [{ change: 'changed', path, by, as, details: codeDetails(from, to) }];
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

/** What a member is, without the numbers of constants, which may differ for the same meaning. */
function facts(member: Member, pool: ConstantPool): string {
  const parts = member.attributes.map(({ name, data }) => {
    if (name !== 'Code') return `${name} ${String(data.length)}`;
    const { code, maxStack, maxLocals, handlers } = readCode(data, pool);
    const uses = new Map([...constantUses(code)].map(({ at, index }) => [at, index]));
    const steps = Array.from(instructions(code), ({ at, op, length }) => {
      const index = uses.get(at);
      return index === undefined
        ? Buffer.from(code.subarray(at, at + length)).toString('hex')
        : `${String(op)} ${constantText(pool, index)}`;
    });
    return `Code ${String(maxStack)} ${String(maxLocals)} ${String(handlers.length)}\n${steps.join('\n')}`;
  });
  return `${String(member.access)}\n${parts.sort().join('\n')}`;
}

function constantText(pool: ConstantPool, index: number, depth = 4): string {
  if (depth === 0) return '…';
  const tag = pool.tag(index);
  const inner = (position: number): string => constantText(pool, pool.value(index, position), depth - 1);
  switch (tag) {
    case TAG.utf8:
      return pool.text(index);
    case TAG.class:
    case TAG.string:
      return `${String(tag)} ${inner(0)}`;
    case TAG.nameAndType:
    case TAG.fieldref:
    case TAG.methodref:
    case TAG.interfaceMethodref:
      return `${inner(0)}.${inner(1)}`;
    default:
      return `${String(tag)} ${String(pool.value(index))} ${String(pool.value(index, 1))}`;
  }
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
