import type { Finding, FunctionFacts } from '../../../findings/rule';
import type { Waybill } from '../../../waybill';
import type { NodeView } from '../view/artifact-view';
import { ownerOf } from '../view/owner';
import { ownNodeModules } from './shared';

const MEND = 'take it out of `dependencies`, unless something finds it by its name; then run `npm install` and lock';

/** Packages that a package.json of the project asks for, and that none of its modules imports. */
export function unusedInNode(node: NodeView | undefined, facts: FunctionFacts, waybill: Waybill): Finding[] {
  if (node === undefined) return [];
  const used = new Set<string>();
  const reached = ownNodeModules(node, facts);
  for (const path of reached)
    for (const { targets } of node.trace.edges.get(path) ?? []) for (const target of targets) used.add(ownerOf(target));
  const own = new Set(waybill.modules.filter(({ origin }) => origin.from === 'source').map(({ path }) => path));
  for (const { packages = [] } of waybill.modules) for (const owner of packages) used.add(owner);
  const sources = [...own, ...reached];
  return waybill.packages
    .filter(
      ({ by, node: { at } = { at: '' } }) =>
        sources.length > 0 && by.some((one) => one.endsWith('package.json')) && !used.has(at),
    )
    .filter(
      ({ by, name }) => !by.some((one) => waybill.packages.some((other) => other.name === one && other.name !== name)),
    )
    .map(({ name, version, by, node: { at } = { at: '' } }) => {
      const found = `none of ${name} ${version}, asked for by ${by.join(', ')}`;
      const finding = { where: name, expected: 'an import of it in the function’s own code' };
      // Code may well find it by its name, or not call it at all.
      return waybill.files.some(({ path }) => path.startsWith(`${at}/`))
        ? { ...finding, level: 'note' as const, found: `${found}; it is packed, since it is asked for`, mend: MEND }
        : {
            ...finding,
            level: 'warn' as const,
            found,
            mend: 'take it out of `dependencies`, run `npm install` and lock',
          };
    });
}
