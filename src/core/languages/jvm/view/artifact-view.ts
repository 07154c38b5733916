/** A JAR as the rules see it: what its classes say, which of them the entry reaches, and what the JDK has. */
import {
  ACC,
  ClassFormatError,
  isClassFile,
  readClass,
  TAG,
  type ClassFile,
  type MemberRef,
} from '../../../formats/classfile';
import type { JdkApi } from '../run/jdk-api';
import { classFacts, type ClassFacts } from '../shade/class-facts';
import { withoutRelease } from '../shade/jar-entries';

export interface ViewedClass {
  readonly path: string;
  readonly facts: ClassFacts;
  readonly fields: readonly ViewedMember[];
  readonly methods: readonly ViewedMember[];
  /** Members of other classes that it names, where these are not in the JAR. */
  readonly uses: readonly MemberRef[];
}

export interface ViewedMember {
  readonly name: string;
  readonly descriptor: string;
  readonly access: number;
}

export interface JvmView {
  readonly classes: ReadonlyMap<string, ViewedClass>;
  /** Classes that the entry reaches by naming them, one after the other. */
  readonly reached: ReadonlySet<string>;
  /** Files that are no classes although they are called so. */
  readonly faults: readonly { readonly path: string; readonly what: string }[];
  /** The JDK of the target, where one is installed that knows it; and the newest that is. */
  readonly jdk?: JdkApi | undefined;
  readonly newest?: JdkApi | undefined;
}

export interface ViewRequest {
  readonly paths: readonly string[];
  readonly readBytes: (path: string) => Uint8Array | undefined;
  /** Class that the host calls, with dots. */
  readonly entry: string;
  /** The Java version that classes are chosen for. */
  readonly java: number;
  readonly jdk?: JdkApi | undefined;
  readonly newest?: JdkApi | undefined;
}

/** Reads what of the classes in an artifact rules ask about, from the entry on. */
export function viewJvmArtifact({ paths, readBytes, entry, java, jdk, newest }: ViewRequest): JvmView {
  const files = new Map<string, ClassFile>();
  const places = new Map<string, { path: string; release: number }>();
  const faults: { path: string; what: string }[] = [];
  for (const path of paths) {
    const { path: plain, release } = withoutRelease(path);
    if (!plain.endsWith('.class') || release > java || plain.startsWith('META-INF/')) continue;
    const known = places.get(plain);
    if (known !== undefined && known.release > release) continue;
    const bytes = readBytes(path);
    if (bytes === undefined) continue;
    try {
      if (!isClassFile(bytes)) throw new ClassFormatError('no class file: it begins otherwise', 0);
      const file = readClass(bytes);
      files.set(file.name, file);
      places.set(plain, { path, release });
    } catch (error) {
      if (!(error instanceof ClassFormatError)) throw error;
      faults.push({ path, what: error.message });
    }
  }
  const classes = new Map<string, ViewedClass>();
  for (const [name, file] of files)
    classes.set(name, viewed(file, places.get(`${name}.class`)?.path ?? `${name}.class`, files));
  return { classes, reached: reachedFrom(entry.replaceAll('.', '/'), classes), faults, jdk, newest };
}

function viewed(file: ClassFile, path: string, files: ReadonlyMap<string, ClassFile>): ViewedClass {
  const { pool } = file;
  const uses: MemberRef[] = [];
  for (const index of pool.indices()) {
    const tag = pool.tag(index);
    if (tag !== TAG.fieldref && tag !== TAG.methodref && tag !== TAG.interfaceMethodref) continue;
    const member = pool.member(index);
    if (!member.owner.startsWith('[') && !files.has(member.owner)) uses.push(member);
  }
  const plain = ({ name, descriptor, access }: ViewedMember): ViewedMember => ({ name, descriptor, access });
  return { path, facts: classFacts(file), fields: file.fields.map(plain), methods: file.methods.map(plain), uses };
}

function reachedFrom(entry: string, classes: ReadonlyMap<string, ViewedClass>): Set<string> {
  const reached = new Set<string>();
  const open = [entry];
  for (let name = open.pop(); name !== undefined; name = open.pop()) {
    const known = reached.has(name) ? undefined : classes.get(name);
    if (known === undefined) continue;
    reached.add(name);
    open.push(...known.facts.refs, ...known.facts.texts.map((text) => text.replaceAll('.', '/')));
  }
  return reached;
}

export type EntryVerdict =
  | { readonly kind: 'found'; readonly method: ViewedMember; readonly isStatic: boolean }
  | { readonly kind: 'no-class' }
  | { readonly kind: 'no-method'; readonly names: readonly string[] }
  /** It is there and cannot be called. */
  | { readonly kind: 'not-callable'; readonly what: string; readonly mend: string }
  | { readonly kind: 'ambiguous'; readonly descriptors: readonly string[] };

/** Looks for the method that the host calls: public, on a class that can be made or static, and only one of its name. */
export function findJvmEntry(view: JvmView, className: string, member: string): EntryVerdict {
  const found = view.classes.get(className.replaceAll('.', '/'));
  if (found === undefined) return { kind: 'no-class' };
  const all = inherited(view, found).filter(({ access }) => (access & (ACC.synthetic | 0x0040)) === 0);
  const named = all.filter(({ name }) => name === member);
  if (named.length === 0)
    return {
      kind: 'no-method',
      names: [...new Set(all.map(({ name }) => name))].filter((name) => !name.startsWith('<')),
    };
  const open = named.filter(({ access }) => (access & ACC.public) !== 0);
  const [method, other] = open;
  if (method === undefined) return notCallable(`\`${member}\`, which is not public`, 'make it public');
  if (other !== undefined) return { kind: 'ambiguous', descriptors: open.map(({ descriptor }) => descriptor) };
  if ((found.facts.access & ACC.public) === 0)
    return notCallable('a method of a class that is not public', 'make the class public');
  const isStatic = (method.access & ACC.static) !== 0;
  return isStatic ? { kind: 'found', method, isStatic } : (unmakeable(found) ?? { kind: 'found', method, isStatic });
}

function unmakeable({ facts, methods }: ViewedClass): EntryVerdict | undefined {
  if ((facts.access & (ACC.abstract | ACC.interface)) !== 0)
    return notCallable(
      'a class that nothing can be made of, with a method that is not static',
      'make the method static',
    );
  const makes = methods.some(
    ({ name, descriptor, access }) => name === '<init>' && descriptor === '()V' && (access & ACC.public) !== 0,
  );
  return makes
    ? undefined
    : notCallable('a class without a public constructor that takes nothing', 'add one, or make the method static');
}

function notCallable(what: string, mend: string): EntryVerdict {
  return { kind: 'not-callable', what, mend };
}

/** Methods of a class and of its superclasses in the JAR; the nearest of each kind. */
function inherited(view: JvmView, start: ViewedClass): ViewedMember[] {
  const methods = new Map<string, ViewedMember>();
  for (let at: ViewedClass | undefined = start, left = 100; at !== undefined && left > 0; left -= 1) {
    for (const method of at.methods) {
      const key = method.name + method.descriptor;
      if (!methods.has(key)) methods.set(key, method);
    }
    at = view.classes.get(at.facts.super);
  }
  return [...methods.values()];
}
