/** Packages that the function itself asks for and that none of its own assemblies refers to. */
import { printable } from '../../../base/text';
import type { Finding, FunctionFacts } from '../../../findings/rule';
import type { Waybill } from '../../../waybill';
import { ownAssemblies, type PublishedView } from './shared';

/** Packages of which nothing is asked for. */
export function unusedInDotnet(view: PublishedView, facts: FunctionFacts, waybill: Waybill): Finding[] {
  const own = [...ownAssemblies(view, facts).values()];
  const named = new Set(own.flatMap(({ references }) => references.map(({ name }) => name.toLowerCase())));
  const texts = new Set(own.flatMap((assembly) => assembly.texts().map((text) => text.toLowerCase())));
  return waybill.packages.flatMap(({ name, version, by }): Finding[] => {
    if (!by.includes(waybill.function)) return [];
    const files = waybill.files.filter(({ origin }) => origin.from === 'package' && origin.name === name);
    const names = files.flatMap(({ path }) => view.assemblies.all.get(path)?.name.toLowerCase() ?? []);
    // Packages of native code or of texts are not referred to.
    if (names.length === 0 || names.some((one) => named.has(one) || texts.has(one))) return [];
    return [
      {
        level: 'warn',
        where: printable(name),
        expected: 'a reference to it in the function’s own assemblies',
        found: `none to ${printable(name)} ${version}`,
        mend: 'take it out of what the function needs, and lock',
      },
    ];
  });
}
