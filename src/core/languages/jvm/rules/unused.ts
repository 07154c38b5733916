import type { Finding, FunctionFacts } from '../../../findings/rule';
import type { Waybill } from '../../../waybill';
import type { JvmView } from '../view/artifact-view';
import { ownClasses } from './shared';

/** Dependencies that the function states itself and whose classes none of its own classes names. */
export function unusedInJvm(jvm: JvmView | undefined, facts: FunctionFacts, waybill: Waybill): Finding[] {
  const own = ownClasses(jvm, facts);
  if (own.length === 0) return [];
  const named = new Set(
    own.flatMap((one) => [...one.facts.refs, ...one.facts.texts.map((text) => text.replaceAll('.', '/'))]),
  );
  const packed = waybill.files.flatMap(({ path, origin }) =>
    origin.from === 'package' ? [{ path, name: origin.name }] : [],
  );
  const all = [...packed, ...waybill.trimmed.map(({ path, package: name }) => ({ path, name }))];
  const classes = all.filter(({ path }) => path.endsWith('.class'));
  const withClasses = new Set(classes.map(({ name }) => name));
  const used = new Set(classes.flatMap(({ path, name }) => (named.has(path.slice(0, -'.class'.length)) ? [name] : [])));
  // Providers of services are found by themselves.
  for (const { path, name } of packed) if (path.startsWith('META-INF/services/')) used.add(name);
  return waybill.packages
    .filter(({ name, by }) => by.includes(waybill.function) && withClasses.has(name) && !used.has(name))
    .map(({ name, version }) => ({
      level: 'warn' as const,
      where: name,
      expected: 'a use of it in the function’s own code',
      found: `none of ${name} ${version}`,
      mend: 'take it out of what the function needs, and lock',
    }));
}
