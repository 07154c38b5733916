/** Takes debug information out of a class: what only debuggers read, and on request line numbers too. */
import { readCode, writeCode, type Attribute, type ClassFile, type Member } from '../../../formats/classfile';

/** `lines`: line numbers and names of source files stay, for stack traces. */
export type Debug = 'lines' | 'none' | 'all';

/** JVMS 4.7.11 to 4.7.14. */
const FOR_DEBUGGERS = new Set(['LocalVariableTable', 'LocalVariableTypeTable', 'SourceDebugExtension']);
const FOR_TRACES = new Set(['LineNumberTable', 'SourceFile']);

/** @returns the same object where there is nothing to take out */
export function stripDebug(file: ClassFile, debug: Debug): ClassFile {
  if (debug === 'all') return file;
  const goes = ({ name }: Attribute): boolean => FOR_DEBUGGERS.has(name) || (debug === 'none' && FOR_TRACES.has(name));
  const methods = file.methods.map((method) => stripMethod(method, file, goes));
  const attributes = file.attributes.filter((one) => !goes(one));
  const isSame =
    attributes.length === file.attributes.length && methods.every((method, i) => method === file.methods[i]);
  return isSame ? file : { ...file, methods, attributes };
}

function stripMethod(method: Member, file: ClassFile, goes: (attribute: Attribute) => boolean): Member {
  const attributes = method.attributes.map((attribute) => {
    if (attribute.name !== 'Code') return attribute;
    const code = readCode(attribute.data, file.pool);
    const kept = code.attributes.filter((one) => !goes(one));
    if (kept.length === code.attributes.length) return attribute;
    return { ...attribute, data: writeCode({ ...code, attributes: kept }) };
  });
  const hasChanged = attributes.some((attribute, i) => attribute !== method.attributes[i]);
  return hasChanged ? { ...method, attributes } : method;
}
