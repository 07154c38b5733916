/** Compiled modules that Python does not load, by what their names say. */
import { printable } from '../../../base/text';
import type { Finding, FunctionFacts } from '../../../findings/rule';
import { isPlatformFor, passedOver } from '../versions/compiled-name';
import { pythonOf } from './shared';

/** Of modules that Python passes over for the platform in their names: that platform, by path. */
export function otherPlatforms(paths: readonly string[], facts: FunctionFacts): ReadonlyMap<string, string> {
  const { arch } = facts;
  if (arch === undefined) return new Map();
  return new Map(
    passedOver(paths, pythonOf(facts) ?? '', arch).flatMap(({ path, name: { platform } }): [string, string][] =>
      platform === undefined || isPlatformFor(platform, arch) ? [] : [[path, `\`${printable(platform)}\``]],
    ),
  );
}

/** Modules that are compiled for another version of Python, and for none of the runtime's. */
export function otherVersions(paths: readonly string[], python: string): Finding[] {
  return passedOver(paths, python, undefined).flatMap(({ path, name }): Finding[] =>
    name.python === undefined || (name.python === python && name.other === undefined)
      ? []
      : [
          {
            level: 'stop',
            where: printable(path),
            expected: `a module compiled for Python ${python}`,
            found: `one that only ${name.other ?? 'Python'} ${name.python} loads, by its name`,
            mend: `have the package settled by \`lock\`, or unpack its wheel for Python ${python}`,
            mendByHand: `pack the package for Python ${python}`,
          },
        ],
  );
}
