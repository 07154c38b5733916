/** Imports that lead nowhere. */
import { nearestWord, printable } from '../../../base/text';
import type { Finding, FunctionFacts } from '../../../findings/rule';
import type { Destination } from '../../../sheet';
import type { PythonArtifact } from '../view/artifact-view';
import { normalizeName } from '../versions/marker';
import { isStandardModule } from '../view/stdlib';
import type { PlacedImport } from '../trace/facts';
import { absoluteName, packageOf } from '../trace/module-tree';
import { ownModules, pythonOf } from './shared';

/** What a function asks for, and where it is to run. */
interface Asked {
  readonly facts: FunctionFacts;
  readonly destination: Destination;
}

/** Modules that code imports and that neither the artifact nor the runtime has. */
export function missingInPython(artifact: PythonArtifact, asked: Asked): Finding[] {
  const { facts } = asked;
  const own = ownModules(artifact, facts);
  const ownImports = own.flatMap((path) =>
    (artifact.facts(path)?.imports ?? []).filter(({ guard }) => guard !== 'try').map((one) => [path, one] as const),
  );
  // Of packages only what loading the entry runs is held to it: the rest they may well do without.
  const loaded = loadedImports(artifact, facts.entry?.file).filter(([path]) => !own.includes(path));
  return [...ownImports, ...loaded].flatMap(([path, one]) => {
    const name = missingName(artifact, path, one, asked);
    return name === undefined ? [] : [finding(artifact, { path, line: one.line, name })];
  });
}

/** Imports that run when the entry is loaded: unguarded ones, followed through the modules they load. */
function loadedImports(artifact: PythonArtifact, entry: string | undefined): [string, PlacedImport][] {
  const seen = new Set<string>();
  const open = entry === undefined ? [] : [entry];
  const loaded: [string, PlacedImport][] = [];
  for (let path = open.pop(); path !== undefined; path = open.pop()) {
    if (seen.has(path) || !path.endsWith('.py')) continue;
    seen.add(path);
    for (const one of artifact.facts(path)?.imports ?? []) {
      if (one.guard !== 'none') continue;
      loaded.push([path, one]);
      const name = absoluteName(packageOf(path), one.level, one.module);
      if (name !== undefined) open.push(...artifact.tree.filesFor(name));
    }
  }
  return loaded;
}

/** The name that nothing provides. */
function missingName(
  artifact: PythonArtifact,
  path: string,
  one: PlacedImport,
  { destination, facts }: Asked,
): string | undefined {
  const name = absoluteName(packageOf(path), one.level, one.module);
  if (name === undefined) return `${'.'.repeat(one.level)}${one.module}`;
  if (name === '' || artifact.tree.has(name)) return undefined;
  const [top = ''] = name.split('.');
  if (one.level === 0 && isStandardModule(top, pythonOf(facts) ?? '3.11')) return undefined;
  const provides = destination.runtimes.find((runtime) => runtime.name === facts.runtime?.text)?.provides ?? [];
  if (provides.some((provided) => normalizeName(provided) === normalizeName(top))) return undefined;
  return mayBeMadeUp(artifact, name) || isVendored(artifact, name) ? undefined : name;
}

/**
 * Packages that carry others with them find them in a folder of their own: by a changed path, as modules made when they
 * run (`six.moves`), or under another name (`pkg_resources.extern`).
 */
function isVendored(artifact: PythonArtifact, name: string): boolean {
  const [, six = ''] = /^((?:.*\.)?six)\.moves(?:\.|$)/.exec(name) ?? [];
  if (six !== '' && artifact.tree.fileOf(six) !== undefined) return true;
  const parts = (/(?:^|\.)extern\.(.+)$/.exec(name)?.[1] ?? name).split('.');
  return artifact.vendored.has(parts[0] ?? '');
}

/** A compiled module around it may make it up as it is loaded; so may a package that does so with `__getattr__`, or an importer. */
function mayBeMadeUp(artifact: PythonArtifact, name: string): boolean {
  const parts = name.split('.').slice(0, -1);
  // Compiled code may make modules at any depth below its own.
  const file = artifact.tree.filesFor(parts.join('.')).at(-1);
  if (file === undefined) return false;
  if (file.endsWith('.so') || Object.hasOwn(artifact.facts(file)?.members ?? {}, '__getattr__')) return true;
  const [top = ''] = name.split('.');
  return artifact.paths.some(
    (path) => path.startsWith(`${top}/`) && path.endsWith('.py') && artifact.facts(path)?.makesModules === true,
  );
}

function finding(
  artifact: PythonArtifact,
  { path, line, name }: { path: string; line: number; name: string },
): Finding {
  const tops = artifact.paths.flatMap((one) => /^([A-Za-z_]\w*)(?:\.py$|\/__init__\.py$)/.exec(one)?.[1] ?? []);
  const near = nearestWord(name, tops);
  return {
    level: 'stop',
    where: `${printable(path)}:${String(line)}`,
    expected: `a module \`${printable(name)}\``,
    found: 'none in the artifact, the standard library or the runtime',
    ...(near === undefined
      ? { mend: 'add its package to `needs` and lock', mendByHand: 'pack its package' }
      : {
          mend: `did you mean \`${printable(near)}\`? Otherwise add its package to \`needs\` and lock`,
          mendByHand: `did you mean \`${printable(near)}\`? Otherwise pack its package`,
        }),
  };
}
