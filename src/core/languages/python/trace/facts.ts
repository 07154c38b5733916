/** What one Python module says when it is read, as plain data. */
import type { Member } from './definitions';
import type { Import, Place } from './imports';

/**
 * What stands around an import: nothing, so that loading the module runs it; a function, which runs it when called; a
 * condition; or a `try`, which may well expect it to fail.
 */
export type Guard = 'none' | 'function' | 'condition' | 'try';

export type PlacedImport = Import & Place & { readonly guard: Guard };

export interface ModuleFacts {
  readonly imports: readonly PlacedImport[];
  /** Imports whose name is computed: what they reach cannot be seen. */
  readonly unseen: readonly (Place & { readonly what: string })[];
  /** Names in `__all__`, where it is a list of texts. */
  readonly all?: readonly string[];
  readonly members: Readonly<Record<string, Member>>;
  /** Settings read by a constant name; with `fallback`, the read has a default. */
  readonly settings: readonly (Place & { readonly name: string; readonly hasDefault: boolean })[];
  /** Beginnings of names of modules whose rest is computed: `plugins.`; with the dots of a relative one. */
  readonly prefixes: readonly (Place & { readonly level: number; readonly module: string })[];
  /** Texts that may be names of modules or of groups of entry points, each once. */
  readonly texts: readonly string[];
  /** Whether it changes where modules are looked for. */
  readonly movesPath: boolean;
  /** Whether it makes modules that are no files, for whoever imports them. */
  readonly makesModules: boolean;
  /** Groups of entry points that are loaded. */
  readonly entryPoints: readonly string[];
  /** Syntax that older versions of Python do not know, `3.10`. */
  readonly syntax: readonly (Place & { readonly since: string; readonly what: string })[];
}
