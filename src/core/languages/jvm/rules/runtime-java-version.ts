import { printable } from '../../../base/text';
import { javaOfClassVersion } from '../../../formats/classfile';
import type { JvmView, ViewedClass } from '../view/artifact-view';
import { javaOf, jvmOf, ownersOf, shownClass, whereOf } from './shared';
import { findings, type Finding, type Rule } from '../../../findings/rule';

const MAX_SHOWN = 40;

export const runtimeJavaVersion: Rule = {
  id: 'runtime/java-version',
  level: 'stop',
  title: 'Classes are for the runtime’s version of Java, and use what its JDK has',
  why: 'A class file that is newer than the runtime is refused when it is loaded; a method that the JDK does not have yet fails when it is first called.',
  mend: 'Compile for the runtime’s version, choose libraries that support it, or set a newer runtime.',
  needs: ['runtime'],
  check({ subject, facts }) {
    const jvm = jvmOf(subject);
    const java = javaOf(facts);
    if (jvm === undefined || java === undefined) return findings();
    const owners = ownersOf(facts);
    return findings(...tooNew(jvm, java, owners), ...newApi(jvm, java, owners));
  },
};

/** One finding for each dependency: all its classes are of a kind. */
function tooNew(jvm: JvmView, java: number, owners: ReadonlyMap<string, string>): Finding[] {
  const byOwner = new Map<string, { first: ViewedClass; count: number }>();
  for (const one of jvm.classes.values()) {
    if (javaOfClassVersion(one.facts.major) <= java) continue;
    const owner = owners.get(one.path) ?? '';
    const known = byOwner.get(owner);
    byOwner.set(owner, { first: known?.first ?? one, count: (known?.count ?? 0) + 1 });
  }
  return [...byOwner].map(([owner, { first, count }]) => {
    const wanted = javaOfClassVersion(first.facts.major);
    const more = count === 1 ? '' : `, and ${String(count - 1)} more${owner === '' ? '' : ` of ${owner}`}`;
    return {
      level: jvm.reached.has(first.facts.name) || owner === '' ? 'stop' : 'warn',
      where: printable(whereOf(first)),
      expected: `class files for Java ${String(java)} or older`,
      found: `one for Java ${String(wanted)}${more}`,
      mend:
        owner === ''
          ? `compile for Java ${String(java)}`
          : `choose a version of ${owner} for Java ${String(java)}, or set \`runtime: java ${String(wanted)}\``,
    };
  });
}

/** What the target's JDK does not have and a newer one does. */
function newApi(
  { classes, reached, jdk, newest }: JvmView,
  java: number,
  owners: ReadonlyMap<string, string>,
): Finding[] {
  if (jdk === undefined || newest === undefined) return [];
  const found: Finding[] = [];
  const result = new Set<string>();
  for (const one of classes.values())
    for (const { owner, name, descriptor } of one.uses) {
      const isNew = jdk.hasClass(owner)
        ? jdk.hasMember(owner, name, descriptor) === false && newest.hasMember(owner, name, descriptor) === true
        : newest.hasClass(owner);
      const what = `${shownClass(owner)}.${name}`;
      const from = owners.get(one.path) ?? one.path;
      if (!isNew || result.has(`${from}\0${what}`) || found.length >= MAX_SHOWN) continue;
      result.add(`${from}\0${what}`);
      found.push({
        level: owners.has(one.path) ? (reached.has(one.facts.name) ? 'warn' : 'note') : 'stop',
        where: printable(whereOf(one)),
        expected: `what the JDK of Java ${String(java)} has`,
        found: `\`${printable(what)}\`, which came later`,
        mend: owners.has(one.path)
          ? `choose an older version of ${from}, if that part is used`
          : 'write it differently, or set a newer runtime',
      });
    }
  return found;
}
