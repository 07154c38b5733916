/** What was settled for one function as a `pylock.toml`, for other installers. */
import { formatPylock, type PylockEntry } from './pylock';
import { MACHINES } from '../versions/tags';
import type { Arch } from '../../../sheet';
import type { LockedPackage } from '../../../project/lock/lockfile';

/**
 * @param targets the packages of each architecture
 * @param python the version of Python, `3.11`
 */
export function pylockOf(targets: Readonly<Record<string, readonly LockedPackage[]>>, python: string): string {
  const archs = Object.keys(targets);
  const found = new Map<string, { one: LockedPackage; archs: Set<string>; files: Map<string, LockedPackage> }>();
  for (const arch of archs)
    for (const one of targets[arch] ?? []) {
      const key = `${one.name}\0${one.version}`;
      const known = found.get(key) ?? { one, archs: new Set(), files: new Map() };
      known.archs.add(arch);
      known.files.set(one.file, one);
      found.set(key, known);
    }
  const packages = [...found.values()]
    .sort((a, b) => (a.one.name < b.one.name ? -1 : 1))
    .map(({ one, archs: some, files }): PylockEntry => {
      const marker = some.size === archs.length ? undefined : [...some].map(machineMarker).join(' or ');
      const sorted = [...files.values()].sort((a, b) => (a.file < b.file ? -1 : 1));
      return {
        name: one.name,
        version: one.version,
        ...(marker !== undefined && { marker }),
        wheels: sorted.flatMap((file) => (file.python?.source === undefined ? [file] : [])),
        ...(one.python?.source !== undefined && { sdist: one.python.source }),
      };
    });
  return formatPylock({ requiresPython: `==${python}.*`, packages });
}

function machineMarker(arch: string): string {
  return `platform_machine == '${MACHINES[arch as Arch]}'`;
}
