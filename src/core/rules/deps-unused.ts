import { absoluteName, packageOf } from '../languages/python';
import { asPython, ownModules, PYTHON } from './python';
import { findings, type Rule } from './rule';

export const depsUnused: Rule = {
  id: 'deps/unused',
  level: 'warn',
  title: 'Every package that the function asks for is imported by it',
  why: 'A package that nothing imports takes room, and has to be kept up to date for nothing.',
  mend: 'Take it out of the requirements, or accept it when it is a plug-in that is found by itself.',
  needs: ['runtime', 'waybill'],
  languages: PYTHON,
  check({ subject, facts }) {
    const { waybill } = facts;
    if (waybill === undefined) return findings();
    const artifact = asPython(subject);
    const imported = new Set<string>();
    for (const path of ownModules(subject, facts))
      for (const { level, module, names } of artifact.facts(path)?.imports ?? []) {
        const name = absoluteName(packageOf(path), level, module) ?? '';
        for (const one of [name, ...(Array.isArray(names) ? names.map((part) => `${name}.${String(part)}`) : [])])
          for (const file of artifact.tree.filesFor(one)) imported.add(file);
      }
    const modulesOf = new Map<string, string[]>();
    for (const { path, origin } of waybill.files)
      if (origin.from === 'package' && /\.(?:py|so)$/.test(path))
        modulesOf.set(origin.name, [...(modulesOf.get(origin.name) ?? []), path]);
    for (const { path, package: owner } of waybill.trimmed)
      if (path.endsWith('.py')) modulesOf.set(owner, [...(modulesOf.get(owner) ?? []), path]);
    const packages = new Set(waybill.packages.map(({ name }) => name));
    const unused = waybill.packages.filter(({ name, by }) => {
      const asked = by.some((one) => !packages.has(one)) && !by.some((one) => packages.has(one));
      // A web server or the like may be started by name; a package without modules is data, or only asks for others.
      const modules = modulesOf.get(name) ?? [];
      return asked && modules.length > 0 && !modules.some((path) => imported.has(path));
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
