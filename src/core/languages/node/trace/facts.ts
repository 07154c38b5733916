/**
 * What one module says of itself, read once and kept by the digest of its file: whom it asks for, what it exports, which
 * parts of it depend on which. Plain data, so that it can be stored and sent between threads.
 */

/** A position is a count of UTF-16 units from the start of the text. */
export interface ModuleFacts {
  readonly format: 'esm' | 'cjs';
  readonly requests: readonly ModuleRequest[];
  /** Places that ask for modules by names that cannot be seen. */
  readonly unseen: readonly { readonly line: number; readonly what: string }[];
  readonly settings: readonly SettingRead[];
  readonly syntax: readonly NewSyntax[];
  /** Texts that may be names of packages or of modules, each once. */
  readonly texts: readonly string[];
  /** For ES modules: what linking has to know. */
  readonly esm?: EsmFacts;
  /** For CommonJS: positions of `import` in `import(…)`. */
  readonly dynamicImports: readonly number[];
  /** For CommonJS: the names that an ES module sees, and the modules whose names it passes on. */
  readonly cjs?: { readonly exports: readonly string[]; readonly reexports: readonly string[] };
  /** Why it cannot be read; then nothing else is known. */
  readonly fault?: { readonly line: number; readonly column: number; readonly message: string; readonly text: string };
}

export interface ModuleRequest {
  /**
   * `import`, `dynamic`, `require`: a module. `resolve`: the path of one. `file`: a file beside the module, which may be
   * a module that runs by itself. `names`: all files whose names fit, `*` standing for any letters.
   */
  readonly kind: 'import' | 'dynamic' | 'require' | 'resolve' | 'file' | 'require-names' | 'file-names';
  /** For files: relative to the module's folder, or to the artifact's where it begins with `/`. */
  readonly specifier: string;
  readonly line: number;
  /** Whether it is made when the module is loaded, in a `try`, or only later if at all. */
  readonly guard: 'none' | 'try' | 'lazy';
  /** Values of NODE_ENV that it depends on: all have to hold. */
  readonly when?: readonly (readonly [value: string, isEqual: boolean])[];
  /** The statement says that it is JSON (`with { type: 'json' }`). */
  readonly isJson?: true;
  /** It is asked for by an absolute path that is made when the code runs. */
  readonly isPath?: true;
  /** Of the specifier's literal, with its quotes. */
  readonly start?: number;
  readonly end?: number;
}

export interface SettingRead {
  readonly name: string;
  readonly line: number;
  readonly hasDefault: boolean;
}

export interface NewSyntax {
  readonly line: number;
  /** The first major version of Node.js that knows it. */
  readonly since: number;
  readonly what: string;
}

export interface EsmFacts {
  readonly statements: readonly Statement[];
  readonly imports: readonly ImportedName[];
  readonly exports: readonly ExportedName[];
  /** `export { a as b } from`, `export * as b from` (imported `*`). */
  readonly reexports: readonly Reexport[];
  /** `export * from`: specifiers. */
  readonly stars: readonly string[];
  /** `import.meta`: start of each; 11 units long. */
  readonly metas: readonly number[];
  readonly dynamicImports: readonly number[];
  readonly hasTopAwait: boolean;
  /** `await` at the top of the module: start, start of what is awaited, and end of each. */
  readonly awaits: readonly (readonly [start: number, argument: number, end: number])[];
  /** Whether some of it awaits in another way: loops and declarations. */
  readonly awaitsOtherwise: boolean;
  /** Names that only CommonJS has, used all the same. */
  readonly commonJsNames: readonly { readonly name: string; readonly at: number }[];
  /** Top-level names that are assigned to after their declaration. */
  readonly assigned: readonly string[];
  /** Where imported names are used. */
  readonly uses: readonly (readonly [local: string, uses: readonly NameUse[]])[];
}

export interface Statement {
  readonly start: number;
  readonly end: number;
  readonly kind: 'import' | 'export-from' | 'export-list' | 'export-default' | 'export' | 'plain';
  /** Position of what is exported: the declaration or expression behind `export` or `export default`. */
  readonly inner?: number;
  /** For `export default` of a function or class without a name: where the name would stand. */
  readonly nameAt?: number;
  readonly declares: readonly string[];
  /** Top-level names that it uses: `a`; `ns.a` for a member of an imported namespace. */
  readonly uses: readonly string[];
  /** Running it is taken to do nothing but declare names (purity.ts). */
  readonly isPure: boolean;
}

export interface ImportedName {
  readonly local: string;
  readonly specifier: string;
  /** `default`, a name, or `*` for the namespace. */
  readonly imported: string;
}

export interface ExportedName {
  readonly name: string;
  readonly local: string;
}

export interface Reexport {
  readonly name: string;
  readonly specifier: string;
  readonly imported: string;
}

/** `shorthand`: it stands for `name: name`. `call`: it is called. */
export type NameUse = readonly [start: number, how: 'plain' | 'shorthand' | 'call'];

/** Of a module that says nothing. */
export const NO_FACTS: Omit<ModuleFacts, 'format'> = {
  requests: [],
  unseen: [],
  settings: [],
  syntax: [],
  dynamicImports: [],
  texts: [],
};

/** The local name of a default export that has none. */
export const DEFAULT_LOCAL = 'default_1';
