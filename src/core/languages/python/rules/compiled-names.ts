/** Compiled modules that Python does not load, by what their names say. */
import { printable } from '../../../base/text';
import type { Finding, FunctionFacts } from '../../../findings/rule';
import { isPlatformFor, passedOver, readCompiledName } from '../compiled-name';
import { pythonOf } from './shared';

/** The platform that a module's name says, where Python passes over it for that. */
export function otherPlatform(paths: readonly string[], path: string, facts: FunctionFacts): string | undefined {
  const { arch } = facts;
  const platform = readCompiledName(path)?.platform;
  if (arch === undefined || platform === undefined || isPlatformFor(platform, arch)) return undefined;
  const isPassedOver = passedOver(paths, pythonOf(facts) ?? '', arch).some((one) => one.path === path);
  return isPassedOver ? `\`${printable(platform)}\`` : undefined;
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
