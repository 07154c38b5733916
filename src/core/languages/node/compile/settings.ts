/** Compiler settings of a function, and the names that they map to files. */
import { posix } from 'node:path';
import type { TypeScriptPaths } from '../resolve/resolver';
import { compileTarget, readCompilerSettings, type CompileOptions } from './typescript';

export interface FunctionCompiler {
  readonly options: CompileOptions;
  /** Whether files that do not say otherwise become CommonJS. */
  readonly isCommonJs: boolean;
  readonly paths: TypeScriptPaths;
  /** All that the settings say, so that two compilers can be told apart. */
  readonly identity: string;
}

export interface CompilerRequest {
  /** Absolute path of the `tsconfig.json`; undefined where there is none. */
  readonly settings: string | undefined;
  /** Absolute path of the source folder, from which files are named in the artifact. */
  readonly root: string;
  readonly major: number;
  readonly sourcemap: boolean;
  readonly isOwn: (path: string) => boolean;
}

/** @throws Error in the compiler's own words when its settings cannot be read */
export function readFunctionCompiler({ settings, root, major, sourcemap, isOwn }: CompilerRequest): FunctionCompiler {
  const read = settings === undefined ? undefined : readCompilerSettings(settings);
  const isTypeScript = (path: string): boolean => isOwn(path) && isCompiled(path);
  const target = compileTarget(major);
  const mapped = (specifier: string, from: string): readonly string[] =>
    read === undefined || !isTypeScript(from) ? [] : mappedPaths(specifier, read, root);
  return {
    options: { compiler: read?.compiler ?? {}, target, sourcemap },
    isCommonJs: read?.isCommonJs ?? false,
    paths: { isTypeScript, mapped },
    identity: JSON.stringify([read ?? null, root]),
  };
}

/** Whether a file is no JavaScript yet. */
export function isCompiled(path: string): boolean {
  return /\.[cm]?tsx?$|\.jsx$/.test(path) && !/\.d\.[cm]?ts$/.test(path);
}

/** The most specific pattern counts; what none fits is looked for from `baseUrl`. */
function mappedPaths(specifier: string, settings: ReturnType<typeof readCompilerSettings>, root: string): string[] {
  if (/^\.{1,2}(?:\/|$)|^\/|^node:/.test(specifier)) return [];
  let best: { readonly length: number; readonly part: string; readonly targets: readonly string[] } | undefined;
  for (const [pattern, targets] of Object.entries(settings.paths)) {
    const star = pattern.indexOf('*');
    const [before, after] = star < 0 ? [pattern, ''] : [pattern.slice(0, star), pattern.slice(star + 1)];
    const fits =
      star < 0
        ? specifier === pattern
        : specifier.length >= before.length + after.length && specifier.startsWith(before) && specifier.endsWith(after);
    if (!fits || (best !== undefined && before.length <= best.length)) continue;
    best = { length: before.length, part: specifier.slice(before.length, specifier.length - after.length), targets };
  }
  const inRoot = (base: string, path: string): string[] => {
    const found = posix.relative(root, posix.resolve(base, path));
    return found.startsWith('..') ? [] : [found];
  };
  const { part = '', targets = [] } = best ?? {};
  const mapped = targets.flatMap((target) =>
    inRoot(
      settings.pathsBase,
      target.replace('*', () => part),
    ),
  );
  return settings.baseUrl === undefined ? mapped : [...mapped, ...inRoot(settings.baseUrl, specifier)];
}
