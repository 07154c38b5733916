/** What a method takes of the event that it is called with: the fields of its type. */
import type { EventRead } from '../../../events';
import type { Subject } from '../../../findings/rule';
import { ACC, parameterTypes, readClass, type ClassFile } from '../../../formats/classfile';
import type { Entry } from '../../../sheet';

const MAX_CLASS_BYTES = 16 * 1024 * 1024;

/** Nothing for a map, a text or a stream, which take whatever comes. */
export function eventReads({ readBytes }: Pick<Subject, 'readBytes'>, { file, member }: Entry): readonly EventRead[] {
  const classAt = (name: string): ClassFile | undefined => {
    const bytes = readBytes(`${name}.class`, MAX_CLASS_BYTES);
    return bytes === undefined ? undefined : readClass(bytes);
  };
  const methods = classAt(file.replaceAll('.', '/'))?.methods.filter(({ name }) => name === member) ?? [];
  const types = new Set(methods.flatMap(({ descriptor }) => parameterTypes(descriptor)[0] ?? []));
  const [type = ''] = types;
  if (types.size !== 1 || !type.startsWith('L')) return [];
  const taken = classAt(type.slice(1, -1));
  return taken === undefined ? [] : namesOf(taken).map((name) => [name]);
}

/** As JSON fills it: by fields, and by what is set. */
function namesOf({ fields, methods }: ClassFile): string[] {
  const stated = fields.filter(({ access }) => (access & (ACC.static | ACC.synthetic)) === 0).map(({ name }) => name);
  const set = methods.flatMap(({ name, descriptor }) =>
    /^set[A-Z]/.test(name) && parameterTypes(descriptor).length === 1
      ? [(name[3] ?? '').toLowerCase() + name.slice(4)]
      : [],
  );
  return [...new Set([...stated, ...set])];
}
