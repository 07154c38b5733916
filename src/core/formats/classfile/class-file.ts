/** Class files (JVMS 4): read into their parts, and written back to the same bytes where nothing was changed. */
import { ByteReader, ByteWriter, ClassFormatError } from './bytes';
import { ConstantPool } from './pool';

export const ACC = {
  public: 0x0001,
  private: 0x0002,
  protected: 0x0004,
  static: 0x0008,
  final: 0x0010,
  native: 0x0100,
  interface: 0x0200,
  abstract: 0x0400,
  synthetic: 0x1000,
  annotation: 0x2000,
  enum: 0x4000,
  module: 0x8000,
} as const;

/** Attributes stay bytes until somebody asks for what is in them. */
export interface Attribute {
  readonly name: string;
  readonly nameIndex: number;
  readonly data: Uint8Array;
}

export interface Member {
  readonly access: number;
  readonly name: string;
  readonly descriptor: string;
  readonly nameIndex: number;
  readonly descriptorIndex: number;
  readonly attributes: readonly Attribute[];
}

export interface ClassFile {
  readonly minor: number;
  readonly major: number;
  readonly pool: ConstantPool;
  readonly access: number;
  /** Internal name, `fernhaven/Berths`. */
  readonly name: string;
  readonly thisIndex: number;
  /** Undefined for `java/lang/Object` and modules. */
  readonly superName: string | undefined;
  readonly superIndex: number;
  readonly interfaces: readonly string[];
  readonly interfaceIndices: readonly number[];
  readonly fields: readonly Member[];
  readonly methods: readonly Member[];
  readonly attributes: readonly Attribute[];
}

const MAGIC = 0xcafebabe;
/** Class file version 45 came with Java 1.1; 44 more than the number of the release since. */
const OLDEST = 45;
export const NEWEST_KNOWN = 70;

/** The Java version whose class files have a major version. */
export function javaOfClassVersion(major: number): number {
  return Math.max(1, major - 44);
}

/** Whether bytes begin as a class file does. */
export function isClassFile(bytes: Uint8Array): boolean {
  return bytes.length > 4 && bytes[0] === 0xca && bytes[1] === 0xfe && bytes[2] === 0xba && bytes[3] === 0xbe;
}

/** @throws ClassFormatError */
export function readClass(bytes: Uint8Array): ClassFile {
  const reader = new ByteReader(bytes);
  if (bytes.length < 4 || reader.u4() !== MAGIC) throw new ClassFormatError('no class file: it begins otherwise', 0);
  const minor = reader.u2();
  const major = reader.u2();
  if (major < OLDEST || major > NEWEST_KNOWN)
    throw new ClassFormatError(
      `class file version ${String(major)}, where ${String(OLDEST)} to ${String(NEWEST_KNOWN)} are known`,
      6,
    );
  const pool = ConstantPool.read(reader);
  const access = reader.u2();
  const thisIndex = reader.u2();
  const superIndex = reader.u2();
  const interfaceIndices = list(reader, () => reader.u2());
  const fields = list(reader, () => readMember(reader, pool));
  const methods = list(reader, () => readMember(reader, pool));
  const attributes = readAttributes(reader, pool);
  if (reader.at !== bytes.length) throw new ClassFormatError('bytes after the end', reader.at);
  return {
    minor,
    major,
    pool,
    access,
    name: pool.className(thisIndex),
    thisIndex,
    superName: superIndex === 0 ? undefined : pool.className(superIndex),
    superIndex,
    interfaces: interfaceIndices.map((index) => pool.className(index)),
    interfaceIndices,
    fields,
    methods,
    attributes,
  };
}

/** A class file (JVMS 4.1); constants get their numbers anew, in order of use. */
export function writeClass(file: ClassFile): Uint8Array {
  const writer = new ByteWriter();
  writer.u4(MAGIC);
  writer.u2(file.minor);
  writer.u2(file.major);
  file.pool.write(writer);
  writer.u2(file.access);
  writer.u2(file.thisIndex);
  writer.u2(file.superIndex);
  writer.u2(file.interfaceIndices.length);
  for (const index of file.interfaceIndices) writer.u2(index);
  for (const members of [file.fields, file.methods]) {
    writer.u2(members.length);
    for (const member of members) {
      writer.u2(member.access);
      writer.u2(member.nameIndex);
      writer.u2(member.descriptorIndex);
      writeAttributes(writer, member.attributes);
    }
  }
  writeAttributes(writer, file.attributes);
  return writer.finish();
}

/** A list as the format has it: how many, in two bytes, then each (JVMS 4.1). */
export function list<T>(reader: ByteReader, read: () => T): T[] {
  return Array.from({ length: reader.u2() }, read);
}

/** Attributes with their names (JVMS 4.7). @throws RangeError where they lead outside */
export function readAttributes(reader: ByteReader, pool: ConstantPool): Attribute[] {
  return list(reader, () => {
    const nameIndex = reader.u2();
    const length = reader.u4();
    return { nameIndex, name: pool.text(nameIndex), data: reader.take(length) };
  });
}

/** Attributes as they stand in a class file (JVMS 4.7). */
export function writeAttributes(writer: ByteWriter, attributes: readonly Attribute[]): void {
  writer.u2(attributes.length);
  for (const { nameIndex, data } of attributes) {
    writer.u2(nameIndex);
    writer.u4(data.length);
    writer.put(data);
  }
}

function readMember(reader: ByteReader, pool: ConstantPool): Member {
  const [access, nameIndex, descriptorIndex] = [reader.u2(), reader.u2(), reader.u2()];
  const attributes = readAttributes(reader, pool);
  return {
    access,
    nameIndex,
    descriptorIndex,
    attributes,
    name: pool.text(nameIndex),
    descriptor: pool.text(descriptorIndex),
  };
}
