/**
 * Which modules, and which statements of ES modules, are needed: everything that has an effect when it runs, what is
 * used of the rest, and what that uses in turn.
 */
import picomatch from 'picomatch';
import type { PackageFiles } from '../resolve/tree';
import type { EsmFacts, ModuleFacts } from '../trace/facts';

/** Where a specifier of a module leads. */
export type Link =
  | { readonly kind: 'module'; readonly path: string }
  /** Something that only Node.js itself can load: its own module, or a file that stays one. */
  | { readonly kind: 'host'; readonly id: string; readonly isEsm: boolean };

export interface LinkModule {
  readonly path: string;
  readonly facts: ModuleFacts;
  /** By specifier, for `import` and `require` in the order in which they stand. */
  readonly links: ReadonlyMap<string, Link>;
  /** Specifiers of its `import` and `export … from` statements, in order. */
  readonly statics: readonly string[];
  /** Specifiers of `require` and `import(…)`. */
  readonly dynamics: readonly string[];
  /** Modules that a pattern may lead to. */
  readonly matches: readonly string[];
}

/** Where an export comes from in the end. */
export type Origin =
  | { readonly kind: 'local'; readonly module: LinkModule; readonly local: string }
  | { readonly kind: 'space'; readonly link: Link }
  /** A name of a module that is no ES module here. */
  | { readonly kind: 'foreign'; readonly link: Link; readonly name: string }
  | { readonly kind: 'none' };

const NONE: Origin = { kind: 'none' };

export class Shaker {
  /** Live statements by module; a module that is not here is not needed. */
  readonly live = new Map<string, Set<number>>();
  /** Exports that are used, by module. */
  readonly used = new Map<string, Set<string>>();
  readonly #modules: ReadonlyMap<string, LinkModule>;
  readonly #packages: PackageFiles;
  readonly #declared = new Map<string, ReadonlyMap<string, readonly number[]>>();
  readonly #exports = new Map<string, ReadonlyMap<string, string>>();
  readonly #names = new Map<string, ReadonlyMap<string, string>>();
  readonly #imports = new Map<string, ReadonlyMap<string, EsmFacts['imports'][number]>>();
  readonly #effectFree = new Map<string, boolean>();
  readonly #open: (() => void)[] = [];

  constructor(modules: ReadonlyMap<string, LinkModule>, packages: PackageFiles) {
    this.#modules = modules;
    this.#packages = packages;
  }

  /** @param members what is used of the entry */
  run(entry: string, members: readonly string[]): void {
    this.#include(entry);
    for (const member of members) this.#useMember(entry, member);
    for (let next = this.#open.pop(); next !== undefined; next = this.#open.pop()) next();
    this.#dropIdle(entry);
  }

  /** Follows an export through the modules that pass it on. */
  originOf(path: string, name: string, seen = new Set<string>()): Origin {
    const module = this.#modules.get(path);
    const esm = module?.facts.esm;
    if (module === undefined || esm === undefined) return { kind: 'foreign', link: { kind: 'module', path }, name };
    const mark = `${path}\0${name}`;
    if (seen.has(mark)) return NONE;
    seen.add(mark);
    const local = this.#exportsOf(module).get(name);
    if (local !== undefined) {
      const imported = this.#importOf(module, local);
      return imported === undefined
        ? { kind: 'local', module, local }
        : this.#through(module, imported.specifier, imported.imported, seen);
    }
    const passed = esm.reexports.find((one) => one.name === name);
    if (passed !== undefined) return this.#through(module, passed.specifier, passed.imported, seen);
    if (name === 'default') return NONE;
    return this.#originInStars(module, esm.stars, name, seen);
  }

  /** A name that two of them have from different places is exported by none (ECMA-262 16.2.1.7.2.2, ResolveExport). */
  #originInStars(module: LinkModule, stars: readonly string[], name: string, seen: Set<string>): Origin {
    let first: Origin = NONE;
    for (const specifier of stars) {
      const found = this.#through(module, specifier, name, seen);
      if (found.kind === 'none' || (found.kind === 'foreign' && !this.#mayHave(found))) continue;
      if (first.kind === 'local' && found.kind === 'local' && !isSame(first, found)) return NONE;
      if (first.kind === 'none') first = found;
    }
    return first;
  }

  /** All names that a module exports, as far as they can be known, sorted; without those of modules that are not here. */
  namesOf(path: string, seen = new Set<string>()): string[] {
    const module = this.#modules.get(path);
    if (module === undefined || seen.has(path)) return [];
    seen.add(path);
    const { esm } = module.facts;
    if (esm === undefined) return ['default', ...this.commonJsNames(path)];
    const names = new Set([...esm.exports.map(({ name }) => name), ...esm.reexports.map(({ name }) => name)]);
    for (const specifier of esm.stars) {
      const link = module.links.get(specifier);
      if (link?.kind !== 'module') continue;
      for (const name of this.namesOf(link.path, seen)) if (name !== 'default') names.add(name);
    }
    return [...names].sort();
  }

  /** What ES modules see of a CommonJS module, with what it passes on of others. */
  commonJsNames(path: string, seen = new Set<string>()): string[] {
    const module = this.#modules.get(path);
    if (module === undefined || seen.has(path)) return [];
    seen.add(path);
    const { exports = [], reexports = [] } = module.facts.cjs ?? {};
    const passed = reexports.flatMap((specifier) => {
      const link = module.links.get(specifier);
      return link?.kind === 'module' ? this.commonJsNames(link.path, seen) : [];
    });
    return [...new Set([...exports, ...passed])].filter((name) => name !== 'default').sort();
  }

  useExport(path: string, name: string): void {
    const origin = this.originOf(path, name);
    if (origin.kind === 'local') this.#useLocalExport(origin.module, origin.local);
    else if (origin.kind === 'space') this.#useSpace(origin.link);
    else if (origin.kind === 'foreign' && origin.link.kind === 'module') this.#include(origin.link.path);
  }

  /** An export that is read from the module's own namespace. */
  #useMember(path: string, name: string): void {
    // What `export *` passes on of what is loaded by Node.js itself is found out only when it runs.
    if (this.originOf(path, name).kind === 'none') this.useAll(path);
    this.#include(path);
    this.useExport(path, name);
    this.#noteUse(path, name);
  }

  /** Whether loading a module has no effect beside its exports, as its package says. */
  isEffectFree(path: string): boolean {
    const known = this.#effectFree.get(path);
    if (known !== undefined) return known;
    const answer = this.#saysEffectFree(path);
    this.#effectFree.set(path, answer);
    return answer;
  }

  #saysEffectFree(path: string): boolean {
    const scope = this.#packages.scopeOf(path);
    const stated = scope === undefined ? undefined : this.#packages.in(scope)?.sideEffects;
    if (stated === undefined || stated === true || scope === undefined) return false;
    if (stated === false) return true;
    const inside = scope === '' ? path : path.slice(scope.length + 1);
    // A pattern without a slash is about names in any folder.
    return !stated.some((pattern) => {
      const plain = pattern.replace(/^\.\//, '');
      return picomatch(plain.includes('/') ? plain : `**/${plain}`, { dot: true })(inside);
    });
  }

  #through(module: LinkModule, specifier: string, imported: string, seen: Set<string>): Origin {
    const link = module.links.get(specifier);
    if (link === undefined) return NONE;
    if (imported === '*') return { kind: 'space', link };
    if (link.kind === 'host') return { kind: 'foreign', link, name: imported };
    return this.originOf(link.path, imported, seen);
  }

  /** Of CommonJS only what reading sees is passed on by `export *`. */
  #mayHave({ link, name }: Origin & { kind: 'foreign' }): boolean {
    return link.kind === 'host' || this.commonJsNames(link.path).includes(name);
  }

  #noteUse(path: string, name: string): void {
    this.used.set(path, (this.used.get(path) ?? new Set()).add(name));
  }

  #useLocalExport(module: LinkModule, local: string): void {
    this.#include(module.path);
    // It is read from there under the first name that the module itself gives it.
    const own = this.exportedAs(module, local);
    if (own !== undefined) this.#noteUse(module.path, own);
    this.#useLocal(module, local);
  }

  #useSpace(link: Link): void {
    if (link.kind === 'module') this.useAll(link.path);
  }

  useAll(path: string): void {
    const mark = this.used.get(path);
    if (mark?.has('*') === true) return;
    this.#noteUse(path, '*');
    this.#include(path);
    const module = this.#modules.get(path);
    for (const name of this.namesOf(path)) this.#open.push(() => this.useExport(path, name));
    for (const specifier of module?.facts.esm?.stars ?? []) {
      const link = module?.links.get(specifier);
      if (link?.kind === 'module' && this.#modules.get(link.path)?.facts.esm === undefined) this.#include(link.path);
    }
  }

  #include(path: string): void {
    const module = this.#modules.get(path);
    if (module === undefined || this.live.has(path)) return;
    this.live.set(path, new Set());
    this.#open.push(() => this.#runModule(module));
  }

  #runModule(module: LinkModule): void {
    const { esm } = module.facts;
    for (const specifier of module.statics) {
      const link = module.links.get(specifier);
      if (link?.kind === 'module' && !this.isEffectFree(link.path)) this.#include(link.path);
    }
    for (const specifier of module.dynamics) {
      const link = module.links.get(specifier);
      if (link?.kind === 'module') this.useAll(link.path);
    }
    for (const path of module.matches) this.useAll(path);
    for (const [i, { kind, isPure }] of esm?.statements.entries() ?? [])
      if (!isPure && kind !== 'import' && kind !== 'export-from') this.#liveStatement(module, i);
  }

  #liveStatement(module: LinkModule, index: number): void {
    const live = this.live.get(module.path);
    const statement = module.facts.esm?.statements[index];
    if (live === undefined || statement === undefined || live.has(index)) return;
    live.add(index);
    for (const use of statement.uses) this.#open.push(() => this.#useName(module, use));
    // What one declaration declares stands and falls together.
    for (const name of statement.declares) this.#open.push(() => this.#useLocal(module, name));
  }

  #useName(module: LinkModule, use: string): void {
    const [name = '', member] = use.split('.', 2);
    const imported = this.#importOf(module, name);
    if (imported === undefined) {
      this.#useLocal(module, name);
      return;
    }
    const link = module.links.get(imported.specifier);
    if (link?.kind !== 'module') return;
    if (imported.imported === '*' && member !== undefined) {
      this.#useMember(link.path, member);
    } else if (imported.imported === '*') this.useAll(link.path);
    else this.useExport(link.path, imported.imported);
  }

  #useLocal(module: LinkModule, name: string): void {
    for (const index of this.#declaring(module).get(name) ?? []) this.#liveStatement(module, index);
  }

  #declaring(module: LinkModule): ReadonlyMap<string, readonly number[]> {
    const known = this.#declared.get(module.path);
    if (known !== undefined) return known;
    const found = new Map<string, number[]>();
    for (const [i, { declares }] of module.facts.esm?.statements.entries() ?? [])
      for (const name of declares) found.set(name, [...(found.get(name) ?? []), i]);
    this.#declared.set(module.path, found);
    return found;
  }

  /** The first name under which a module exports something of its own. */
  exportedAs(module: LinkModule, local: string): string | undefined {
    let known = this.#names.get(module.path);
    if (known === undefined) {
      known = new Map((module.facts.esm?.exports ?? []).map((one) => [one.local, one.name] as const).reverse());
      this.#names.set(module.path, known);
    }
    return known.get(local);
  }

  /** Local names by the names under which they are exported. */
  #exportsOf(module: LinkModule): ReadonlyMap<string, string> {
    let known = this.#exports.get(module.path);
    if (known === undefined) {
      known = new Map((module.facts.esm?.exports ?? []).map((one) => [one.name, one.local] as const).reverse());
      this.#exports.set(module.path, known);
    }
    return known;
  }

  #importOf(module: LinkModule, local: string): EsmFacts['imports'][number] | undefined {
    let known = this.#imports.get(module.path);
    if (known === undefined) {
      known = new Map((module.facts.esm?.imports ?? []).map((one) => [one.local, one]));
      this.#imports.set(module.path, known);
    }
    return known.get(local);
  }

  /** Modules that only import others, and of which nothing is used, can go once these have gone. */
  #dropIdle(entry: string): void {
    let hasChanged = true;
    while (hasChanged) {
      hasChanged = false;
      for (const [path, live] of this.live) {
        const module = this.#modules.get(path);
        if (path === entry || module?.facts.esm === undefined || live.size > 0 || this.used.has(path)) continue;
        const needsOthers = [...module.links.values()].some((link) =>
          link.kind === 'host' ? link.isEsm : this.live.has(link.path),
        );
        if (needsOthers) continue;
        this.live.delete(path);
        hasChanged = true;
      }
    }
  }
}

function isSame(a: Origin & { kind: 'local' }, b: Origin & { kind: 'local' }): boolean {
  return a.module === b.module && a.local === b.local;
}
