import type { Finding, FunctionFacts } from '../../../findings/rule';
import type { Waybill } from '../../../waybill';
import type { PythonArtifact } from '../view/artifact-view';
import { absoluteName, packageOf } from '../trace/module-tree';
import { ownModules } from './shared';

const MEND = 'take it out of the requirements and lock, unless something finds it by its name';

/** Packages that the function asks for, and that none of its modules imports. */
export function unusedInPython(artifact: PythonArtifact, facts: FunctionFacts, waybill: Waybill): Finding[] {
  const imported = importedFiles(artifact, facts);
  const modules = modulesByPackage(waybill);
  const packages = new Set(waybill.packages.map(({ name }) => name));
  const unused = waybill.packages.filter(({ name, by }) => {
    const own = modules.get(name) ?? [];
    // A package without modules is data, or only asks for others.
    return !by.some((one) => packages.has(one)) && own.length > 0 && !own.some((path) => imported.has(path));
  });
  const packed = new Set(waybill.files.flatMap(({ origin }) => (origin.from === 'package' ? [origin.name] : [])));
  return unused.map(({ name, version, by }) => {
    const found = `none of ${name} ${version}, asked for by ${by.join(', ')}`;
    const finding = { where: name, expected: 'an import of it in the function’s own code' };
    // Code may well find it by its name, or not call it at all.
    return packed.has(name)
      ? { ...finding, level: 'note' as const, found: `${found}; it is packed, since it is asked for`, mend: MEND }
      : { ...finding, level: 'warn' as const, found, mend: 'take it out of the requirements and lock' };
  });
}

/** Files that the function's own code imports. */
function importedFiles(artifact: PythonArtifact, facts: FunctionFacts): Set<string> {
  const imports = ownModules(artifact, facts).flatMap((path) =>
    (artifact.facts(path)?.imports ?? []).map((one) => ({ ...one, from: packageOf(path) })),
  );
  const names = imports.flatMap(({ from, level, module, names: taken }) => {
    const name = absoluteName(from, level, module) ?? '';
    return [name, ...(taken === undefined || taken === '*' ? [] : taken.map((part) => `${name}.${part}`))];
  });
  return new Set(names.flatMap((name) => artifact.tree.filesFor(name)));
}

/** Modules of each package, those that were trimmed as well. */
function modulesByPackage({ files, trimmed }: Waybill): Map<string, string[]> {
  const found = new Map<string, string[]>();
  const add = (name: string, path: string): unknown => found.set(name, [...(found.get(name) ?? []), path]);
  for (const { path, origin } of files)
    if (origin.from === 'package' && /\.(?:py|so)$/.test(path)) add(origin.name, path);
  for (const { path, package: owner } of trimmed) if (path.endsWith('.py')) add(owner, path);
  return found;
}
