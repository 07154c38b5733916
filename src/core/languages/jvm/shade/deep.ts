/**
 * Methods and fields that nothing can reach are taken out of classes. A method counts as called when any live code names its
 * name and descriptor, whatever the class: what is left out then is called by nobody. Where code looks members up by
 * themselves (java.lang.reflect), what it could look for stays: fields, and all that is not private or static.
 */
import {
  ACC,
  ByteReader,
  constantUses,
  readClass,
  readCode,
  TAG,
  writeClass,
  type ClassFile,
  type Member,
} from '../../../formats/classfile';
import { lineAt } from './class-facts';

export interface DeepRequest {
  /** Every class of the artifact, by name. */
  readonly classes: ReadonlyMap<string, Uint8Array>;
  /** Classes from which nothing may be taken. */
  readonly isWhole: (name: string) => boolean;
  /** The JAR that a class is from. Native code calls what it likes: with any, the whole JAR stays. */
  readonly ownerOf: (name: string) => string;
}

export interface DeepResult {
  /** Classes that are smaller now. */
  readonly changed: ReadonlyMap<string, Uint8Array>;
  /** Members that were taken out. */
  readonly dropped: number;
  /** The first place that looks members up by themselves; undefined where there is none. */
  readonly reflects: LooksUp | undefined;
}

/** Methods that the machine itself, or serialisation (Java Object Serialization Specification), calls by name. */
const CALLED_BY_NAME = new Set([
  ...['<clinit>', 'toString', 'equals', 'hashCode', 'clone', 'finalize', 'compareTo', 'run', 'close'],
  ...['readObject', 'writeObject', 'readResolve', 'writeReplace', 'readObjectNoData', 'readExternal', 'writeExternal'],
  ...['values', 'valueOf', 'main'],
]);
const REFLECTION = /^java\/lang\/(?:reflect\/|invoke\/MethodHandles\$Lookup$)/;
const LOOKS_UP_MEMBERS = /^get(?:Declared)?(?:Methods?|Fields?|Constructors?)$|^newInstance$/;

/** A place in code. */
export interface LooksUp {
  readonly className: string;
  readonly method: string;
  readonly line: number;
}

/** Takes members out of classes that nothing reaches. What reflection may reach stays. */
export function deepTrim(request: DeepRequest): DeepResult {
  return new DeepTrimmer(request).run();
}

interface Known {
  readonly file: ClassFile;
  readonly isWhole: boolean;
  readonly methods: readonly { readonly member: Member; readonly key: string; readonly names: readonly string[] }[];
}

class DeepTrimmer {
  readonly #known = new Map<string, Known>();
  /** `name descriptor` of every member that live code names. */
  readonly #named = new Set<string>();
  readonly #live = new Set<string>();
  #reflects: LooksUp | undefined;

  constructor({ classes, isWhole, ownerOf }: DeepRequest) {
    const native = new Set<string>();
    for (const [name, bytes] of classes) {
      const file = readClass(bytes);
      const methods = file.methods.map((member) => ({
        member,
        key: keyOf(member),
        names: this.#namesIn(file, member),
      }));
      this.#known.set(name, { file, isWhole: isWhole(name), methods });
      if (file.methods.some(({ access }) => (access & ACC.native) !== 0)) native.add(ownerOf(name));
    }
    for (const [name, one] of this.#known)
      if (!one.isWhole && (native.has(ownerOf(name)) || this.#isSpecial(one.file)))
        this.#known.set(name, { ...one, isWhole: true });
  }

  run(): DeepResult {
    for (let before = -1; before !== this.#live.size;) {
      before = this.#live.size;
      for (const [name, one] of this.#known) this.#round(name, one);
    }
    const changed = new Map<string, Uint8Array>();
    let dropped = 0;
    for (const [name, { file, isWhole, methods }] of this.#known) {
      if (isWhole) continue;
      const kept = methods.filter(({ key }) => this.#live.has(`${name} ${key}`)).map(({ member }) => member);
      const fields = file.fields.filter((field) => this.#keepsField(field));
      const gone = file.methods.length - kept.length + file.fields.length - fields.length;
      if (gone === 0) continue;
      dropped += gone;
      changed.set(name, writeClass({ ...file, methods: kept, fields }));
    }
    return { changed, dropped, reflects: this.#reflects };
  }

  #round(name: string, { file, isWhole, methods }: Known): void {
    const callable = isWhole ? undefined : this.#fromOutside(file);
    for (const { member, key, names } of methods) {
      const id = `${name} ${key}`;
      if (this.#live.has(id)) continue;
      if (!isWhole && !this.#isLive(member, key, callable === true)) continue;
      this.#live.add(id);
      for (const one of names) this.#named.add(one);
    }
  }

  #isLive({ name, access, attributes }: Member, key: string, isFromOutside: boolean): boolean {
    if (this.#named.has(key) || CALLED_BY_NAME.has(name)) return true;
    const isHidden = (access & (ACC.private | ACC.static)) !== 0;
    if (isFromOutside && !isHidden && name !== '<init>') return true;
    if (this.#reflects === undefined) return false;
    return !isHidden || attributes.some(({ name: attribute }) => attribute.startsWith('RuntimeVisible'));
  }

  #keepsField({ name, descriptor }: Member): boolean {
    return this.#reflects !== undefined || name === 'serialVersionUID' || this.#named.has(`${name} ${descriptor}`);
  }

  /** Whether its methods may be called by way of a class or interface that is not in the artifact. */
  #fromOutside(file: ClassFile): boolean {
    const open = [...file.interfaces, file.superName ?? ''];
    for (let name = open.pop(); name !== undefined; name = open.pop()) {
      if (name === 'java/lang/Object' || name === '') continue;
      const known = this.#known.get(name);
      if (known === undefined) return true;
      open.push(...known.file.interfaces, known.file.superName ?? '');
    }
    return false;
  }

  /** Enumerations, annotations, records and what is serialised are looked into by the machine itself. */
  #isSpecial({ access, superName = '', interfaces, attributes }: ClassFile): boolean {
    if ((access & (ACC.enum | ACC.annotation)) !== 0 || superName === 'java/lang/Enum') return true;
    if (attributes.some(({ name }) => name === 'Record')) return true;
    return interfaces.some((name) => name === 'java/io/Serializable' || name === 'java/io/Externalizable');
  }

  /** Members that the code of a method names, itself or by what makes a call when it runs: bodies of lambdas. */
  #namesIn(file: ClassFile, { attributes, name }: Member): string[] {
    const { pool } = file;
    const attribute = attributes.find((one) => one.name === 'Code');
    if (attribute === undefined) return [];
    const names: string[] = [];
    const code = readCode(attribute.data, pool);
    const note = (index: number, at: number): void => {
      const { owner, name: member, descriptor } = pool.member(index);
      names.push(`${member} ${descriptor}`);
      const isLookUp = owner === 'java/lang/Class' && LOOKS_UP_MEMBERS.test(member);
      if (isLookUp || REFLECTION.test(owner))
        this.#reflects ??= { className: file.name, method: name, line: lineAt(code, at) };
    };
    for (const { index, at } of constantUses(code.code)) {
      const tag = pool.tag(index);
      if (tag === TAG.fieldref || tag === TAG.methodref || tag === TAG.interfaceMethodref) note(index, at);
      else if (tag === TAG.methodHandle) note(pool.methodHandle(index).member, at);
      else if (tag === TAG.invokeDynamic || tag === TAG.dynamic)
        for (const member of bootstrapMembers(file, pool.value(index))) note(member, at);
    }
    return names;
  }
}

/** Constants of the members that a bootstrap method is given handles for (JVMS 4.7.23). */
function bootstrapMembers({ attributes, pool }: ClassFile, wanted: number): number[] {
  const data = attributes.find(({ name }) => name === 'BootstrapMethods')?.data;
  if (data === undefined) return [];
  const reader = new ByteReader(data);
  for (let left = reader.u2(), at = 0; left > 0; left -= 1, at += 1) {
    reader.skip(2);
    const given = Array.from({ length: reader.u2() }, () => reader.u2());
    if (at !== wanted) continue;
    return given.flatMap((one) => (pool.tag(one) === TAG.methodHandle ? [pool.methodHandle(one).member] : []));
  }
  return [];
}

function keyOf({ name, descriptor }: Member): string {
  return `${name} ${descriptor}`;
}
