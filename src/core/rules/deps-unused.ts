import { absoluteName, packageOf } from '../languages/python';
import { ownerOf } from '../languages/node';
import { JVM, ownClasses } from '../languages/jvm/rules/shared';
import { NODE, ownNodeModules } from '../languages/node/rules/shared';
import { asPython, ownModules, PYTHON } from '../languages/python/rules/shared';
import type { Waybill } from '../waybill';
import { findings, type Finding, type FunctionFacts, type Rule, type Subject } from '../findings/rule';

export const depsUnused: Rule = {
  id: 'deps/unused',
  level: 'warn',
  title: 'Every package that the function asks for is imported by it',
  why: 'A package that nothing imports takes room, and has to be kept up to date for nothing.',
  mend: 'Take it out of the requirements, or accept it when it is a plug-in that is found by itself.',
  needs: ['runtime', 'waybill'],
  languages: [...PYTHON, ...NODE, ...JVM],
  check({ subject, facts }) {
    const { waybill } = facts;
    if (waybill === undefined) return findings();
    if (facts.runtime?.language === 'java') return findings(...unusedInJvm(subject, facts, waybill));
    if (facts.runtime?.language === 'node') return findings(...unusedInNode(subject, facts, waybill));
    const imported = importedFiles(subject, facts);
    const modules = modulesByPackage(waybill);
    const packages = new Set(waybill.packages.map(({ name }) => name));
    const unused = waybill.packages.filter(({ name, by }) => {
      const own = modules.get(name) ?? [];
      // A package without modules is data, or only asks for others.
      return !by.some((one) => packages.has(one)) && own.length > 0 && !own.some((path) => imported.has(path));
    });
    return findings(
      ...unused.map(({ name, version, by }) => ({
        level: 'warn' as const,
        where: name,
        expected: 'an import of it in the function’s own code',
        found: `none of ${name} ${version}, asked for by ${by.join(', ')}`,
        mend: 'take it out of the requirements and lock',
      })),
    );
  },
};

/** Files that the function's own code imports. */
function importedFiles(subject: Subject, facts: FunctionFacts): Set<string> {
  const artifact = asPython(subject);
  const imports = ownModules(subject, facts).flatMap((path) =>
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

/** Packages that a package.json of the project asks for, and that none of its modules imports. */
function unusedInNode(subject: Subject, facts: FunctionFacts, waybill: Waybill): Finding[] {
  const { node } = subject;
  if (node === undefined) return [];
  const used = new Set<string>();
  for (const path of ownNodeModules(subject, facts))
    for (const { targets } of node.trace.edges.get(path) ?? []) for (const target of targets) used.add(ownerOf(target));
  const own = new Set(waybill.modules.filter(({ origin }) => origin.from === 'source').map(({ path }) => path));
  for (const { packages = [] } of waybill.modules) for (const owner of packages) used.add(owner);
  const sources = [...own, ...ownNodeModules(subject, facts)];
  return waybill.packages
    .filter(({ by, at = '' }) => sources.length > 0 && by.some((one) => one.endsWith('package.json')) && !used.has(at))
    .filter(
      ({ by, name }) => !by.some((one) => waybill.packages.some((other) => other.name === one && other.name !== name)),
    )
    .map(({ name, version, by }) => ({
      level: 'warn' as const,
      where: name,
      expected: 'an import of it in the function’s own code',
      found: `none of ${name} ${version}, asked for by ${by.join(', ')}`,
      mend: 'take it out of `dependencies`, run `npm install` and lock',
    }));
}

/** Dependencies that the function states itself and whose classes none of its own classes names. */
function unusedInJvm(subject: Subject, facts: FunctionFacts, waybill: Waybill): Finding[] {
  const own = ownClasses(subject, facts);
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
