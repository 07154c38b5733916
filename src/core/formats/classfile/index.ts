/** Class files of the Java virtual machine. */
export { ByteReader, ByteWriter, ClassFormatError } from './bytes';
export {
  ACC,
  type Attribute,
  type ClassFile,
  isClassFile,
  javaOfClassVersion,
  type Member,
  NEWEST_KNOWN,
  readAttributes,
  readClass,
  writeClass,
} from './class-file';
export { type Code, constantUses, type Instruction, instructions, OP, readCode, u2At, writeCode } from './code';
export { decodeMutf8, encodeMutf8 } from './mutf8';
export { ConstantPool, type MemberRef, TAG } from './pool';
export { mapTypes, parameterTypes, returnType, typesIn } from './signature';
export { eachTextUse, type TextUse } from './text-uses';
