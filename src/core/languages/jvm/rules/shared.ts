/** What rules about the JVM share. */
import type { LanguageView } from '../../../findings/view';
import type { JvmView, ViewedClass } from '../view/artifact-view';
import type { FunctionFacts, Subject } from '../../../findings/rule';

/** What the Java machine sees, where the entry is known. */
export interface JvmLanguageView extends LanguageView {
  readonly jvm: JvmView | undefined;
}

/** What the language sees of an artifact; undefined for one of another language. */
export function jvmOf({ view }: Subject): JvmView | undefined {
  return (view as JvmLanguageView | undefined)?.jvm;
}

/** The Java version that the function is for; undefined for other languages. */
export function javaOf({ runtime }: FunctionFacts): number | undefined {
  return runtime?.language === 'jvm' ? Number(runtime.version) : undefined;
}

/** Classes of the function itself, by name. */
export function ownClasses(jvm: JvmView | undefined, { waybill, entry }: FunctionFacts): ViewedClass[] {
  if (jvm === undefined) return [];
  if (waybill !== undefined) {
    const own = new Set(waybill.files.filter(({ origin }) => origin.from !== 'package').map(({ path }) => path));
    return [...jvm.classes.values()].filter(({ path }) => own.has(path));
  }
  // Without a record what lies beside the entry counts.
  const folder = (entry?.file ?? '').replaceAll('.', '/').replace(/[^/]*$/, '');
  return [...jvm.classes.values()].filter(({ path }) => path.startsWith(folder));
}

/** The dependency that a class came with; undefined for the function's own, and without a record. */
export function ownersOf({ waybill }: FunctionFacts): ReadonlyMap<string, string> {
  const owners = new Map<string, string>();
  for (const { path, origin } of waybill?.files ?? [])
    if (origin.from === 'package') owners.set(path, `${origin.name} ${origin.version}`);
  return owners;
}

/** Whether a class is there when the function runs; undefined where no JDK is here that could say so. */
export function isThere({ classes, jdk }: JvmView, name: string): boolean | undefined {
  if (classes.has(name)) return true;
  if (jdk?.hasClass(name) === true) return true;
  if (name.startsWith('java/')) return jdk === undefined ? undefined : false;
  // Parts of the JDK that are no public interface are in no list.
  if (/^(?:javax|sun|com\/sun|jdk|org\/(?:w3c|xml|ietf))\//.test(name) && jdk === undefined) return undefined;
  if (/^(?:sun|com\/sun|jdk)\//.test(name)) return undefined;
  return false;
}

/** `a/b/C$D` as it is written: `a.b.C.D`. */
export function shownClass(name: string): string {
  return name.replaceAll('/', '.').replaceAll('$', '.');
}

/** Place of a class for people: its file in the artifact. */
export function whereOf({ path }: ViewedClass, line?: number): string {
  return line === undefined || line === 0 ? path : `${path}:${String(line)}`;
}
