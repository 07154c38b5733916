/** References of a JAR that lead nowhere. */
import { printable } from '../../../base/text';
import type { Destination } from '../../../sheet';
import type { JvmView, ViewedClass } from '../view/artifact-view';
import { isThere, ownClasses, ownersOf, shownClass, whereOf } from './shared';
import type { Finding, FunctionFacts } from '../../../findings/rule';

/** What the function's own classes need stops; of libraries it is told by library, reachable or not. */
export function missingInJvm(jvm: JvmView | undefined, facts: FunctionFacts, destination: Destination): Finding[] {
  if (jvm === undefined) return [];
  const provides = destination.runtimes.find(({ name }) => name === facts.runtime?.text)?.provides ?? [];
  const isProvided = (name: string): boolean => provides.some((one) => name.startsWith(`${one.replaceAll('.', '/')}/`));
  const own = new Set(ownClasses(jvm, facts));
  const owners = ownersOf(facts);
  const found: Finding[] = [];
  const groups = new Map<string, { first: ViewedClass; names: Set<string>; isReached: boolean; owner: string }>();
  for (const one of jvm.classes.values())
    for (const name of one.facts.refs) {
      if (isThere(jvm, name) !== false || isProvided(name)) continue;
      if (own.has(one)) found.push(ownMissing(one, name));
      else {
        const isReached = jvm.reached.has(one.facts.name);
        const owner = owners.get(one.path) ?? 'a library';
        const key = `${owner}\0${String(isReached)}`;
        const group = groups.get(key) ?? { first: one, names: new Set<string>(), isReached, owner };
        group.names.add(name);
        groups.set(key, group);
      }
    }
  return [...found, ...[...groups.values()].map(libraryMissing)];
}

function ownMissing(one: ViewedClass, name: string): Finding {
  return {
    level: 'stop',
    where: printable(whereOf(one)),
    expected: `a class \`${printable(shownClass(name))}\``,
    found: 'none in the JAR or the JDK',
    mend: 'add what has it to `needs` and lock; if the runtime brings it, list its package under `provides`',
    mendByHand: 'pack what has it; if the runtime brings it, list its package under `provides`',
  };
}

function libraryMissing({
  first,
  names,
  isReached,
  owner,
}: {
  first: ViewedClass;
  names: ReadonlySet<string>;
  isReached: boolean;
  owner: string;
}): Finding {
  const all = [...names].sort();
  const shown = all.slice(0, 3).map((name) => `\`${printable(shownClass(name))}\``);
  const more = all.length > shown.length ? ` and ${String(all.length - shown.length)} more` : '';
  return {
    level: isReached ? 'warn' : 'note',
    where: printable(owner),
    expected: isReached ? 'all classes that it may come to' : 'all classes that it names',
    found: `no ${shown.join(', ')}${more}, named by ${printable(shownClass(first.facts.name))}${isReached ? '' : ' and others that the entry does not reach'}`,
    mend: isReached
      ? 'add what has them to `needs`, or try the function: libraries often do without'
      : 'nothing, unless the function uses that part',
  };
}
