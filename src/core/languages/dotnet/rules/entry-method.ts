/** What is wrong with the assembly, the type and the method that the host calls, and with what it takes. */
import { nearestWord, printable } from '../../../base/text';
import { missingMember } from '../../../findings/members';
import type { Finding } from '../../../findings/rule';
import type { MethodInfo, TypeInfo } from '../../../formats/assembly';
import type { Entry } from '../../../sheet';
import type { PublishedView } from './shared';

/** `Fernhaven.Dues.Export.Run` is a method of a type. */
export function partsOf({ member }: Pick<Entry, 'member'>): { readonly type: string; readonly method: string } {
  const dot = member.lastIndexOf('.');
  return { type: member.slice(0, Math.max(0, dot)), method: member.slice(dot + 1) };
}

/** The file is there, and is no assembly. */
export function judgePlace({ assemblies, paths }: PublishedView, { file, text }: Entry): Finding | undefined {
  const where = printable(file);
  if (!paths.has(file)) {
    const name = file.slice(file.lastIndexOf('/') + 1).toLowerCase();
    const near = [...paths].find((one) => one.slice(one.lastIndexOf('/') + 1).toLowerCase() === name);
    return {
      level: 'stop',
      where,
      expected: 'the assembly that the host calls, at the top of the artifact',
      found: near === undefined ? 'no file of that name' : `only ${printable(near)}`,
      mend:
        near === undefined
          ? 'correct `entry`, or publish again'
          : `name the folder as \`source\` whose content that is: the one with ${printable(file)}`,
    };
  }
  if (assemblies.all.has(file)) return undefined;
  const fault = assemblies.faults.find((one) => one.path === file);
  return {
    level: 'stop',
    where,
    expected: 'an assembly',
    found: fault === undefined ? 'native code' : `none: ${printable(fault.what)}`,
    mend: fault === undefined ? `name the assembly in \`entry\`, not \`${printable(text)}\`` : 'publish again',
  };
}

/** What is wrong with the method that is called; undefined where nothing is. */
export function judgeMember(view: PublishedView, entry: Entry): Finding | undefined {
  const { type: typeName, method } = partsOf(entry);
  const where = printable(entry.file);
  const types = view.assemblies.all.get(entry.file)?.types();
  if (types === undefined) return undefined;
  const type = types.find(({ name }) => name === typeName);
  if (type === undefined) return missingType(types, entry, typeName);
  const stop = (found: string, mend: string): Finding => ({
    level: 'stop',
    where,
    found,
    mend,
    expected: `one public method \`${printable(method)}\` of the public type \`${printable(typeName)}\``,
  });
  if (!type.isPublic) return stop('a type that is not public', 'make the type public');
  const methods = inherited(view, type);
  const named = methods.filter(({ name }) => name === method);
  if (named.length === 0) {
    const names = [...new Set(methods.filter(({ isPublic }) => isPublic).map(({ name }) => name))];
    const members = names.filter((name) => !/^\.|^[gs]et_/.test(name)).map((name) => `${typeName}.${name}`);
    return missingMember({ where, member: entry.member, expected: stop('', '').expected, members });
  }
  const open = named.filter(({ isPublic }) => isPublic);
  const [only, other] = open;
  if (only === undefined) return stop('one that is not public', 'make it public');
  if (other !== undefined)
    return stop(
      `${String(open.length)} of that name, so that the host cannot tell which is meant`,
      'give the one that the host calls a name of its own',
    );
  return only.isStatic ? undefined : unmakeable(type, stop);
}

function missingType(types: readonly TypeInfo[], { file, member }: Entry, name: string): Finding {
  const names = types.filter(({ isPublic }) => isPublic).map((one) => one.name);
  const simple = name.slice(name.lastIndexOf('.') + 1);
  const near =
    names.find((one) => one.toLowerCase() === name.toLowerCase()) ??
    names.find((one) => one.endsWith(`.${simple}`)) ??
    nearestWord(name, names.slice(0, 5000));
  const method = member.slice(member.lastIndexOf('.') + 1);
  return {
    level: 'stop',
    where: printable(file),
    expected: `the type \`${printable(name)}\``,
    found: near === undefined ? 'no such type' : `no such type, but \`${printable(near)}\``,
    mend:
      near === undefined
        ? 'write the entry as `FILE.dll#Namespace.Type.Method`'
        : `write \`entry: ${printable(file)}#${printable(near)}.${printable(method)}\``,
  };
}

function unmakeable(type: TypeInfo, stop: (found: string, mend: string) => Finding): Finding | undefined {
  if (type.isAbstract)
    return stop('a method that is not static, of a type that nothing can be made of', 'make it static');
  const makes = type
    .methods()
    .some(({ name, parameters, isPublic }) => name === '.ctor' && parameters.length === 0 && isPublic);
  if (makes || type.base === 'System.ValueType') return undefined;
  return stop('a type without a public constructor that takes nothing', 'add one, or make the method static');
}

/** Methods of a type and of those that it inherits from in the artifact; the nearest of each kind. */
function inherited({ assemblies }: PublishedView, start: TypeInfo): MethodInfo[] {
  const found = new Map<string, MethodInfo>();
  let at: TypeInfo | undefined = start;
  for (let left = 50; at !== undefined && left > 0; left -= 1) {
    for (const method of at.methods()) {
      const key = `${method.name}(${method.parameters.join()})`;
      if (!found.has(key)) found.set(key, method);
    }
    const { base }: TypeInfo = at;
    at = base === '' || base === 'System.Object' ? undefined : typeNamed(assemblies.all.values(), base);
  }
  return [...found.values()];
}

function typeNamed(all: Iterable<{ readonly types: () => readonly TypeInfo[] }>, name: string): TypeInfo | undefined {
  for (const assembly of all) {
    const found = assembly.types().find((one) => one.name === name);
    if (found !== undefined) return found;
  }
  return undefined;
}

const NO_EVENT =
  /^(?:ref |void$|T\d+$|bool$|char$|s?byte$|u?short$|u?int$|u?long$|float$|double$|typedref$|nu?int$)|\*$/;
const CONTEXTS = /^(?:object|System\.Collections\.Generic\.(?:I|IReadOnly)?Dictionary<string, object>)$/;

/** What is wrong with its parameters; undefined where nothing is. */
export function judgeParameters(view: PublishedView, entry: Entry): Finding | undefined {
  const { type: typeName, method } = partsOf(entry);
  const type = view.assemblies.all
    .get(entry.file)
    ?.types()
    .find(({ name }) => name === typeName);
  const found =
    type === undefined ? [] : inherited(view, type).filter(({ name, isPublic }) => name === method && isPublic);
  const [only, other] = found;
  if (only === undefined || other !== undefined) return undefined;
  const [first, context, ...rest] = only.parameters;
  const canBe = first !== undefined && !NO_EVENT.test(first) && rest.length === 0;
  if (canBe && (context === undefined || CONTEXTS.test(context))) return undefined;
  return {
    level: 'stop',
    where: printable(entry.file),
    expected: `\`${method}(event)\` or \`${method}(event, IDictionary<string, object> context)\`, the event an object, a dictionary, a string, bytes or a Stream`,
    found: `\`${method}(${printable(only.parameters.map(shortType).join(', '))})\``,
    mend: 'take the event, and the context as `IDictionary<string, object>` if it is wanted',
  };
}

function shortType(name: string): string {
  return name.replace(/[\w.]+\.(?=\w)/g, '');
}
