/** What a published function does without: what is for other systems, for people, for compilers, in other languages. */
import { ASSEMBLY_FILE, SATELLITE } from '../published/assemblies';
import { nearness, ridInPath, type System } from '../published/systems';

export type SafeRule = 'other-platforms' | 'debug-symbols' | 'docs' | 'reference-assemblies' | 'other-languages';

export interface SafeTrim {
  readonly system: System;
  /** Languages whose texts are wanted; all where it does not say. */
  readonly languages: readonly string[] | undefined;
  /** The systems that files are for, where something says so. */
  readonly ridOf: (path: string) => string | undefined;
}

/** What takes a file out; undefined where it stays. @param paths all files */
export function safeRule(path: string, paths: ReadonlySet<string>, trim: SafeTrim): SafeRule | undefined {
  const rid = trim.ridOf(path) ?? ridInPath(path);
  if (rid !== undefined && nearness(rid, trim.system) === undefined) return 'other-platforms';
  if (/\.pdb$/i.test(path)) return 'debug-symbols';
  if (/^refs?\//.test(path) && ASSEMBLY_FILE.test(path)) return 'reference-assemblies';
  if (/\.xml$/i.test(path) && isDocumentation(path, paths)) return 'docs';
  const culture = SATELLITE.exec(path)?.[1];
  return culture !== undefined && !isWanted(culture, trim.languages) ? 'other-languages' : undefined;
}

/** What compilers write beside an assembly, for editors; it may lie in a folder for a language. */
function isDocumentation(path: string, paths: ReadonlySet<string>): boolean {
  const assembly = path.replace(/\.xml$/i, '.dll');
  return paths.has(assembly) || paths.has(assembly.replace(/[^/]+\/([^/]+)$/, '$1'));
}

/** `en` wants `en-GB` too, and `de-AT` what it falls back to. */
function isWanted(culture: string, languages: readonly string[] | undefined): boolean {
  const own = culture.toLowerCase();
  return (
    languages?.some((one) => {
      const wanted = one.toLowerCase();
      return own === wanted || own.startsWith(`${wanted}-`) || wanted.startsWith(`${own}-`);
    }) ?? true
  );
}
