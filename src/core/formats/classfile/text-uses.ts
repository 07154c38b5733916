/**
 * What the texts of a class are used as: names of classes, descriptors, signatures, string constants, or plain names.
 * One text may be used in several ways, which matters to whoever changes it.
 */
import { ownOf } from '../../base/own';
import { ByteReader, ClassFormatError } from './bytes';
import { list, readAttributes, type Attribute, type ClassFile } from './class-file';
import { TAG, type ConstantPool } from './pool';

/** `string`: a constant, or a value in an annotation. */
export type TextUse = 'class' | 'descriptor' | 'signature' | 'string' | 'name';

export type NotePlace = (use: TextUse, index: number) => void;

/** Tells every use of a text in a class. */
export function eachTextUse(file: ClassFile, note: NotePlace): void {
  poolUses(file.pool, note);
  for (const { nameIndex, descriptorIndex, attributes } of [...file.fields, ...file.methods]) {
    note('name', nameIndex);
    note('descriptor', descriptorIndex);
    attributeUses(attributes, file.pool, note);
  }
  attributeUses(file.attributes, file.pool, note);
}

function poolUses(pool: ConstantPool, note: NotePlace): void {
  for (const index of pool.indices()) {
    switch (pool.tag(index)) {
      case TAG.class:
        note('class', pool.value(index));
        break;
      case TAG.string:
        note('string', pool.value(index));
        break;
      case TAG.nameAndType:
        note('name', pool.value(index));
        note('descriptor', pool.value(index, 1));
        break;
      case TAG.methodType:
        note('descriptor', pool.value(index));
        break;
      case TAG.module:
      case TAG.package:
        note('name', pool.value(index));
        break;
      default:
    }
  }
}

function attributeUses(attributes: readonly Attribute[], pool: ConstantPool, note: NotePlace): void {
  for (const attribute of attributes) {
    note('name', attribute.nameIndex);
    ownOf(READERS, attribute.name)?.(new ByteReader(attribute.data), pool, note);
  }
}

type UseReader = (reader: ByteReader, pool: ConstantPool, note: NotePlace) => void;

/** Those attributes of JVMS 4.7 that name texts themselves; the others name constants, or nothing. */
const READERS: Readonly<Record<string, UseReader>> = {
  Code: (reader, pool, note) => {
    reader.skip(4);
    reader.skip(reader.u4());
    reader.skip(8 * reader.u2());
    attributeUses(readAttributes(reader, pool), pool, note);
  },
  Signature: (reader, _pool, note) => note('signature', reader.u2()),
  SourceFile: (reader, _pool, note) => note('name', reader.u2()),
  InnerClasses: (reader, _pool, note) => {
    list(reader, () => {
      reader.skip(4);
      const name = reader.u2();
      if (name !== 0) note('name', name);
      reader.skip(2);
    });
  },
  LocalVariableTable: (reader, _pool, note) => variables(reader, note, 'descriptor'),
  LocalVariableTypeTable: (reader, _pool, note) => variables(reader, note, 'signature'),
  MethodParameters: (reader, _pool, note) => {
    for (let left = reader.u1(); left > 0; left -= 1) {
      const name = reader.u2();
      if (name !== 0) note('name', name);
      reader.skip(2);
    }
  },
  Record: (reader, pool, note) => {
    list(reader, () => {
      note('name', reader.u2());
      note('descriptor', reader.u2());
      attributeUses(readAttributes(reader, pool), pool, note);
    });
  },
  RuntimeVisibleAnnotations: annotations,
  RuntimeInvisibleAnnotations: annotations,
  RuntimeVisibleParameterAnnotations: parameterAnnotations,
  RuntimeInvisibleParameterAnnotations: parameterAnnotations,
  RuntimeVisibleTypeAnnotations: typeAnnotations,
  RuntimeInvisibleTypeAnnotations: typeAnnotations,
  AnnotationDefault: (reader, _pool, note) => elementValue(reader, note, 0),
};

function variables(reader: ByteReader, note: NotePlace, use: TextUse): void {
  list(reader, () => {
    reader.skip(4);
    note('name', reader.u2());
    note(use, reader.u2());
    reader.skip(2);
  });
}

function annotations(reader: ByteReader, _pool: ConstantPool, note: NotePlace): void {
  list(reader, () => annotation(reader, note, 0));
}

function parameterAnnotations(reader: ByteReader, pool: ConstantPool, note: NotePlace): void {
  for (let left = reader.u1(); left > 0; left -= 1) annotations(reader, pool, note);
}

/** JVMS 4.7.16: the kinds of values, nested no deeper than this. */
const MAX_DEPTH = 64;

function annotation(reader: ByteReader, note: NotePlace, depth: number): void {
  note('descriptor', reader.u2());
  list(reader, () => {
    note('name', reader.u2());
    elementValue(reader, note, depth);
  });
}

function elementValue(reader: ByteReader, note: NotePlace, depth: number): void {
  if (depth > MAX_DEPTH) throw new ClassFormatError('annotations nested too deeply', reader.at);
  const kind = String.fromCharCode(reader.u1());
  if (kind === 's') note('string', reader.u2());
  else if (kind === 'c') note('descriptor', reader.u2());
  else if (kind === 'e') {
    note('descriptor', reader.u2());
    note('name', reader.u2());
  } else if (kind === '@') annotation(reader, note, depth + 1);
  else if (kind === '[') list(reader, () => elementValue(reader, note, depth + 1));
  else if ('BCDFIJSZ'.includes(kind)) reader.skip(2);
  else throw new ClassFormatError(`an annotation value of unknown kind \`${kind}\``, reader.at);
}

function typeAnnotations(reader: ByteReader, _pool: ConstantPool, note: NotePlace): void {
  list(reader, () => {
    skipTarget(reader);
    reader.skip(2 * reader.u1());
    annotation(reader, note, 0);
  });
}

/** What a type annotation is on (JVMS 4.7.20.1). */
function skipTarget(reader: ByteReader): void {
  const at = reader.at;
  const kind = reader.u1();
  if (kind <= 0x01 || kind === 0x16) reader.skip(1);
  else if (kind === 0x10 || kind === 0x17 || (kind >= 0x42 && kind <= 0x46)) reader.skip(2);
  else if (kind === 0x11 || kind === 0x12) reader.skip(2);
  else if (kind === 0x40 || kind === 0x41) reader.skip(6 * reader.u2());
  else if (kind >= 0x47 && kind <= 0x4b) reader.skip(3);
  else if (kind < 0x13 || kind > 0x15) throw new ClassFormatError(`a type annotation on unknown ${String(kind)}`, at);
}
