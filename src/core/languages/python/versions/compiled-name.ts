/**
 * What the name of a compiled module says it is for (PEP 3149, and `EXTENSION_SUFFIXES` of the interpreters): Python loads
 * `_waves.cpython-311-x86_64-linux-gnu.so`, `_waves.abi3.so` and `_waves.so`, and passes over all others.
 */
import type { Arch } from '../../../sheet';
import { MACHINES } from './tags';

export interface CompiledName {
  /** Path without tags and ending. */
  readonly module: string;
  /** `3.11`, `3.13t` for the interpreter without its lock; undefined where the name does not say. */
  readonly python?: string;
  /** `x86_64-linux-gnu`, `darwin`, `win_amd64`; undefined where the name does not say. */
  readonly platform?: string;
  /** Another interpreter, such as PyPy. */
  readonly other?: string;
}

const ON_UNIX = /^(.+)\.(cpython|pypy|graalpy)-?(\d)(\d+)([a-z]*)(?:-pp\d+)?(?:-([\w-]+))?\.so$/;
const ON_WINDOWS = /^(.+?)(?:\.cp(\d)(\d+)(t?)-(win\w+))?\.pyd$/;

/** @returns undefined for files that are no compiled modules, or whose name says nothing */
export function readCompiledName(path: string): CompiledName | undefined {
  const match = ON_UNIX.exec(path);
  if (match === null) return readWindowsName(path);
  const [, module = '', interpreter = '', major = '', minor = '', flags = '', platform] = match;
  return {
    module,
    python: `${major}.${minor}${flags.includes('t') ? 't' : ''}`,
    ...(platform !== undefined && { platform }),
    ...(interpreter !== 'cpython' && { other: interpreter }),
  };
}

function readWindowsName(path: string): CompiledName | undefined {
  const match = ON_WINDOWS.exec(path);
  if (match === null) return undefined;
  const [, module = '', major, minor = '', flag = '', platform = 'Windows'] = match;
  return { module, platform, ...(major !== undefined && { python: `${major}.${minor}${flag}` }) };
}

/** Whether a platform in a name is that of an architecture: with whichever C library, as older interpreters wrote one for both. */
export function isPlatformFor(platform: string, arch: Arch): boolean {
  return new RegExp(`^${MACHINES[arch]}-linux(?:-(?:gnu|musl))?$`).test(platform);
}

/** Compiled modules that Python passes over on an architecture, in the version that is given, although no other is there for them. */
export function passedOver(
  paths: readonly string[],
  python: string,
  arch: Arch | undefined,
): { readonly path: string; readonly name: CompiledName }[] {
  const all = new Set(paths);
  const named = paths.flatMap((path) => {
    const name = readCompiledName(path);
    return name === undefined ? [] : [{ path, name }];
  });
  const fits = ({ name }: (typeof named)[number]): boolean =>
    name.other === undefined &&
    (name.python === undefined || name.python === python) &&
    (name.platform === undefined || arch === undefined || isPlatformFor(name.platform, arch));
  const served = new Set(named.filter((one) => !one.path.endsWith('.pyd') && fits(one)).map(({ name }) => name.module));
  return named.filter((one) => {
    const { module } = one.name;
    const isLoaded = served.has(module) || ['.so', '.abi3.so', '.py'].some((ending) => all.has(module + ending));
    return !isLoaded && (one.path.endsWith('.pyd') || !fits(one));
  });
}
