/** What members and attributes of class files say, in words without the numbers of constants: those may differ for the same. */
import { ownOf } from '../../base/own';
import {
  ByteReader,
  constantUses,
  instructions,
  readCode,
  TAG,
  type Attribute,
  type ConstantPool,
  type Member,
} from '../../formats/classfile';

/** How attributes are laid out that name constants (JVMS 4.7); the others are told by their bytes. */
const LAYOUTS: Readonly<Record<string, (reader: ByteReader, pool: ConstantPool) => string>> = {
  ConstantValue: (reader, pool) => constant(pool, reader.u2()),
  Signature: (reader, pool) => constant(pool, reader.u2()),
  SourceFile: (reader, pool) => constant(pool, reader.u2()),
  NestHost: (reader, pool) => constant(pool, reader.u2()),
  Exceptions: (reader, pool) => list(reader, () => constant(pool, reader.u2())),
  NestMembers: (reader, pool) => list(reader, () => constant(pool, reader.u2())),
  PermittedSubclasses: (reader, pool) => list(reader, () => constant(pool, reader.u2())),
  EnclosingMethod: (reader, pool) => `${constant(pool, reader.u2())} ${constant(pool, reader.u2())}`,
  InnerClasses: (reader, pool) =>
    list(reader, () => `${[0, 1, 2].map(() => constant(pool, reader.u2())).join(' ')} ${String(reader.u2())}`),
  LocalVariableTable: variables,
  LocalVariableTypeTable: variables,
  MethodParameters: (reader, pool) =>
    Array.from({ length: reader.u1() }, () => `${constant(pool, reader.u2())} ${String(reader.u2())}`).join(', '),
  BootstrapMethods: (reader, pool) =>
    list(reader, () => `${constant(pool, reader.u2())} ${list(reader, () => constant(pool, reader.u2()))}`),
  RuntimeVisibleAnnotations: annotations,
  RuntimeInvisibleAnnotations: annotations,
  RuntimeVisibleParameterAnnotations: parameterAnnotations,
  RuntimeInvisibleParameterAnnotations: parameterAnnotations,
  AnnotationDefault: (reader, pool) => elementValue(reader, pool, DEPTH),
};

/** Nesting of annotations in annotations that anybody means. */
const DEPTH = 16;

/** What a member is: its access, and what each of its attributes says. */
export function memberFacts({ access, attributes }: Member, pool: ConstantPool): string {
  return `${String(access)}\n${attributesFacts(attributes, pool)}`;
}

/** What attributes say, whatever their order. */
export function attributesFacts(attributes: readonly Attribute[], pool: ConstantPool): string {
  return attributes
    .map((one) => attributeFacts(one, pool))
    .sort()
    .join('\n');
}

/** Frames follow from the code that they are of (JVMS 4.10.1), and name their types by constants. */
const FOLLOWS_FROM_CODE: ReadonlySet<string> = new Set(['StackMapTable']);

function attributeFacts({ name, data }: Attribute, pool: ConstantPool): string {
  if (name === 'Code') return `Code ${codeFacts(data, pool)}`;
  if (FOLLOWS_FROM_CODE.has(name)) return name;
  const layout = ownOf(LAYOUTS, name);
  if (layout === undefined) return `${name} ${Buffer.from(data).toString('hex')}`;
  return `${name} ${layout(new ByteReader(data), pool)}`;
}

function codeFacts(data: Uint8Array, pool: ConstantPool): string {
  const { code, maxStack, maxLocals, handlers, attributes } = readCode(data, pool);
  const uses = new Map(Array.from(constantUses(code), ({ at, index }) => [at, index]));
  const steps = Array.from(instructions(code), ({ at, op, length }) => {
    const index = uses.get(at);
    if (index === undefined) return Buffer.from(code.subarray(at, at + length)).toString('hex');
    // Short and long ways to load a constant differ by where that stands.
    return `${String(op)} ${constant(pool, index)} ${Buffer.from(code.subarray(at + 3, at + length)).toString('hex')}`;
  });
  const caught = handlers.map(({ start, end, at, type }) => `${[start, end, at].join(' ')} ${constant(pool, type)}`);
  return [String(maxStack), String(maxLocals), ...caught, ...steps, attributesFacts(attributes, pool)].join('\n');
}

function variables(reader: ByteReader, pool: ConstantPool): string {
  return list(reader, () => {
    const [start, length] = [reader.u2(), reader.u2()];
    const [name, type] = [constant(pool, reader.u2()), constant(pool, reader.u2())];
    return `${String(start)} ${String(length)} ${name} ${type} ${String(reader.u2())}`;
  });
}

function annotations(reader: ByteReader, pool: ConstantPool): string {
  return list(reader, () => annotation(reader, pool, DEPTH));
}

function parameterAnnotations(reader: ByteReader, pool: ConstantPool): string {
  return Array.from({ length: reader.u1() }, () => annotations(reader, pool)).join('; ');
}

function annotation(reader: ByteReader, pool: ConstantPool, depth: number): string {
  const type = constant(pool, reader.u2());
  return `${type}(${list(reader, () => `${constant(pool, reader.u2())}=${elementValue(reader, pool, depth - 1)}`)})`;
}

/** JVMS 4.7.16.1 */
function elementValue(reader: ByteReader, pool: ConstantPool, depth: number): string {
  if (depth === 0) throw new RangeError('annotations without end');
  const tag = String.fromCharCode(reader.u1());
  switch (tag) {
    case 'e':
      return `${constant(pool, reader.u2())}.${constant(pool, reader.u2())}`;
    case '@':
      return annotation(reader, pool, depth - 1);
    case '[':
      return `[${list(reader, () => elementValue(reader, pool, depth - 1))}]`;
    default:
      return `${tag} ${constant(pool, reader.u2())}`;
  }
}

function list(reader: ByteReader, one: () => string): string {
  return Array.from({ length: reader.u2() }, one).join(', ');
}

/** Constants that name one other, and two others (JVMS 4.4). */
const OF_ONE: ReadonlySet<number> = new Set([TAG.class, TAG.string, TAG.methodType, TAG.module, TAG.package]);
const OF_TWO: ReadonlySet<number> = new Set([TAG.nameAndType, TAG.fieldref, TAG.methodref, TAG.interfaceMethodref]);
const DYNAMIC: ReadonlySet<number> = new Set([TAG.dynamic, TAG.invokeDynamic]);

/** What a constant says; none for 0. */
function constant(pool: ConstantPool, index: number, depth = 5): string {
  if (index === 0) return 'none';
  if (depth === 0) return '…';
  const tag = pool.tag(index);
  const inner = (position: number): string => constant(pool, pool.value(index, position), depth - 1);
  if (tag === TAG.utf8) return JSON.stringify(pool.text(index));
  if (OF_ONE.has(tag)) return `${String(tag)} ${inner(0)}`;
  if (OF_TWO.has(tag)) return `${String(tag)} ${inner(0)}.${inner(1)}`;
  if (DYNAMIC.has(tag)) return `${String(tag)} ${String(pool.value(index))} ${inner(1)}`;
  if (tag === TAG.methodHandle) {
    const { kind, member } = pool.methodHandle(index);
    return `${String(kind)} ${constant(pool, member, depth - 1)}`;
  }
  const words = tag === TAG.long || tag === TAG.double ? [0, 1, 2, 3] : [0, 1];
  return `${String(tag)} ${words.map((at) => pool.value(index, at).toString(16)).join(' ')}`;
}
