/** References that lead nowhere, and files that the host is told of and that are not there. */
import { firstFew, printable } from '../../../base/text';
import type { Finding, FunctionFacts } from '../../../findings/rule';
import type { Destination } from '../../../sheet';
import type { FrameworkNames } from './framework';
import { ownAssemblies, ownerIn, reachedFrom, type PublishedView } from './shared';

const SHOWN = 3;

/** Assemblies that are asked for and that neither the artifact nor the framework has. */
export function missingInDotnet(
  view: PublishedView,
  facts: FunctionFacts,
  framework: FrameworkNames,
  destination: Destination,
): Finding[] {
  const provides = destination.runtimes.find(({ name }) => name === facts.runtime?.text)?.provides ?? [];
  const isThere = (name: string): boolean =>
    view.assemblies.byName.has(name.toLowerCase()) ||
    framework.has(name) ||
    provides.some((one) => one.toLowerCase() === name.toLowerCase());
  const own = ownAssemblies(view, facts);
  const reached = reachedFrom(view);
  const found: Finding[] = listedMissing(view);
  for (const [path, { references, culture }] of view.assemblies.all) {
    if (culture !== '') continue;
    const names = [...new Set(references.map(({ name }) => name))].filter((name) => !isThere(name));
    if (names.length === 0) continue;
    const shown = firstFew(
      names.map((name) => `\`${printable(name)}\``),
      SHOWN,
    ).join(', ');
    const isOwn = own.has(path);
    const isReached = reached.has(path);
    const owner = ownerIn(view, facts, path);
    found.push({
      level: isOwn ? 'stop' : isReached ? 'warn' : 'note',
      where: printable(path),
      expected: isOwn
        ? 'all assemblies that it refers to'
        : `all assemblies that it may come to${owner === undefined ? '' : `, as part of ${printable(owner)}`}`,
      found: `no ${shown}, neither in the artifact nor in the framework`,
      mend: isOwn
        ? 'add the package that has it and publish again; if the runtime brings it, list it under `provides`'
        : isReached
          ? 'add what has it, or try the function: libraries often do without'
          : 'nothing, unless the function uses that part',
    });
  }
  return found;
}

/** Before anything else the host looks for everything that its list names. */
function listedMissing({ deps, paths }: PublishedView): Finding[] {
  // The list of a library, which no host starts by itself.
  if (deps?.framework.startsWith('.NETStandard') === true) return [];
  const gone = (deps?.libraries ?? []).flatMap(({ name, type, assets }) =>
    type === 'runtimepack' ? [] : assets.filter(({ file }) => !paths.has(file)).map(({ file }) => ({ name, file })),
  );
  return gone.map(({ name, file }) => ({
    level: 'stop',
    where: printable(file),
    expected: `the file that the list of ${printable(name)} names (*.deps.json)`,
    found: 'none; the host does not start without it',
    mend: 'publish again into an empty folder, and leave nothing of it out',
  }));
}
