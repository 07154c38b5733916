/** Follows imports from the entry over the function and its packages: which files a run can reach, and through whom. */
import { yieldNow } from '../../../base/yield';
import { baseOf, folderOf } from '../../../base/paths';
import { EdgeBook, type DependencyEdges } from '../../../fileset/edges';
import type { ModuleFacts } from './facts';
import { absoluteName, ModuleTree, packageOf } from './module-tree';

export interface TracedFile {
  /** Name of the package it comes from; '' for the function's own source. */
  readonly owner: string;
}

export interface TraceRequest {
  readonly files: ReadonlyMap<string, TracedFile>;
  /** Paths from which tracing starts: the entry, and what is kept by name. */
  readonly roots: readonly string[];
  /** Undefined for what cannot be read as Python. */
  readonly factsOf: (path: string) => ModuleFacts | undefined;
  /** Packages that a package asks for. */
  readonly requiredBy: (owner: string) => readonly string[];
  /** Whether a shared object is a module that Python imports, and not a library that code loads by its path. */
  readonly isExtension: (path: string) => boolean;
  /** Names in a compiled module that begin with one of some others; undefined where its texts cannot be read. */
  readonly namesIn: (path: string, tops: readonly string[]) => readonly string[] | undefined;
  /** Modules that entry points of a group name. */
  readonly entryPoints: (group: string) => readonly string[];
  /** Packages that the function itself asks for. */
  readonly asked: readonly string[];
  /** Whether only what imports are seen to reach is wanted. */
  readonly isStrict: boolean;
}

export interface Reach {
  /** Path of the file that asks for it; '' for a root. */
  readonly by: string;
  /** `asked`: its package is asked for by the function itself, and nothing is seen to import it. */
  readonly how: 'root' | 'import' | 'whole' | 'data' | 'asked';
}

export interface Unseen {
  readonly file: string;
  readonly line: number;
  readonly what: string;
  /** What is kept whole for it: a folder, or a file at the top. */
  readonly kept: string;
}

export interface Trace {
  readonly reached: ReadonlyMap<string, Reach>;
  readonly unseen: readonly Unseen[];
  /** Everybody who asks for each, not only the first. */
  readonly edges: DependencyEdges;
}

/** The modules that are reached from an entry, each with who reached it. */
export function traceModules(request: TraceRequest): Promise<Trace> {
  return new Tracer(request).run();
}

class Tracer {
  readonly #request: TraceRequest;
  readonly #tree: ModuleTree;
  readonly #reached = new Map<string, Reach>();
  readonly #unseen: Unseen[] = [];
  readonly #open: string[] = [];
  readonly #edges = new EdgeBook();
  readonly #owners = new Set<string>();
  readonly #byOwner = new Map<string, string[]>();
  readonly #topModules = new Map<string, Set<string>>();

  constructor(request: TraceRequest) {
    this.#request = request;
    this.#tree = new ModuleTree(request.files.keys());
    for (const [path, { owner }] of request.files) {
      const top = topOf(path);
      if (top === undefined) continue;
      this.#topModules.set(owner, (this.#topModules.get(owner) ?? new Set()).add(top));
    }
  }

  async run(): Promise<Trace> {
    for (const root of this.#request.roots) this.#reach(root, { by: '', how: 'root' });
    await this.#followAll();
    if (!this.#request.isStrict)
      // What the function itself asks for it needs, however it finds it.
      for (const owner of this.#request.asked) {
        if (this.#isReached(owner)) continue;
        this.#keepPackage(owner, { by: '', how: 'asked' });
        await this.#followAll();
      }
    this.#reachData();
    return { reached: this.#reached, unseen: this.#unseen, edges: this.#edges.edges };
  }

  async #followAll(): Promise<void> {
    for (let path = this.#open.pop(); path !== undefined; path = this.#open.pop()) {
      this.#follow(path);
      await yieldNow();
    }
  }

  /** Whether any module of a package is reached; one without modules has nothing that could be. */
  #isReached(owner: string): boolean {
    const modules = this.#filesOf(owner).filter((path) => /\.(?:py|so)$/.test(path));
    return modules.length === 0 || modules.some((path) => this.#reached.has(path));
  }

  #keepPackage(owner: string, reach: Reach): void {
    for (const path of this.#filesOf(owner)) if (!/\.pyc$|^bin\//.test(path)) this.#reach(path, reach);
  }

  /** Keeps a package whole for a file. @returns whether nobody did before */
  #keepPackageWhole(owner: string, by: string): boolean {
    const together = `all of ${owner}`;
    if (!this.#edges.askTogether(together, by)) return false;
    for (const path of this.#filesOf(owner)) if (!/\.pyc$|^bin\//.test(path)) this.#keep(together, path, by);
    return true;
  }

  #filesOf(owner: string): readonly string[] {
    if (this.#byOwner.size === 0)
      for (const [path, file] of this.#request.files) {
        const files = this.#byOwner.get(file.owner);
        if (files === undefined) this.#byOwner.set(file.owner, [path]);
        else files.push(path);
      }
    return this.#byOwner.get(owner) ?? [];
  }

  /** Reaches a file as part of what is kept together. */
  #keep(together: string, path: string, by: string): void {
    this.#edges.keepTogether(together, path);
    this.#reach(path, { by, how: 'whole' });
  }

  #reach(path: string, reach: Reach, line?: number): void {
    const file = this.#request.files.get(path);
    if (file === undefined) return;
    if (reach.how === 'import') this.#edges.ask(reach.by, path, line);
    if (this.#reached.has(path)) return;
    this.#reached.set(path, reach);
    this.#open.push(path);
    this.#owners.add(file.owner);
    // Whoever imports a module runs the packages around it first.
    for (let folder = folderOf(path); folder !== ''; folder = folderOf(folder))
      this.#reach(`${folder}/__init__.py`, { by: path, how: 'import' });
  }

  #reachModule(name: string, by: string, line?: number): void {
    for (const file of this.#tree.filesFor(name)) this.#reach(file, { by, how: 'import' }, line);
  }

  #follow(path: string): void {
    if (path.endsWith('.so')) {
      this.#followCompiled(path);
      return;
    }
    const facts = path.endsWith('.py') ? this.#request.factsOf(path) : undefined;
    if (facts === undefined) return;
    const from = packageOf(path);
    for (const { level, module, names, line } of facts.imports) {
      const name = absoluteName(from, level, module);
      if (name === undefined) continue;
      this.#reachModule(name, path, line);
      if (names === '*') this.#reachAll(name, path, line);
      // A name that is taken from a package may be a module in it.
      else for (const one of names ?? []) this.#reachModule(name === '' ? one : `${name}.${one}`, path, line);
    }
    for (const group of facts.entryPoints)
      for (const name of this.#request.entryPoints(group)) this.#reachModule(name, path);
    for (const { level, module, line } of facts.prefixes) this.#reachBeginning(from, { level, module }, path, line);
    for (const { line, what } of facts.unseen)
      this.#unseen.push({ file: path, line, what, kept: this.#keepWhole(path, line) });
    if (!this.#request.isStrict) this.#followHints(path, facts);
  }

  /**
   * What compiled code imports is not seen as imports: nobody needs to be told, but nothing around it may go. What it asks
   * for of others goes by names in it, or else all that its package needs.
   */
  #followCompiled(path: string): void {
    this.#keepWhole(path);
    if (this.#request.isStrict) return;
    const needed = this.#request
      .requiredBy(this.#ownerOf(path))
      .filter((owner) => !this.#edges.isTogether(`all of ${owner}`));
    if (needed.length === 0) return;
    const names = this.#request.namesIn(
      path,
      needed.flatMap((owner) => [...(this.#topModules.get(owner) ?? [])]),
    );
    for (const name of names ?? []) {
      const module = this.#tree.longestIn(name);
      if (module !== undefined) this.#reachModule(module, path);
    }
    if (names !== undefined) return;
    for (const owner of needed) this.#keepPackageWhole(owner, path);
  }

  #reachBeginning(
    from: string,
    { level, module }: { readonly level: number; readonly module: string },
    by: string,
    line: number,
  ): void {
    const base = absoluteName(from, level, '');
    if (base === undefined) return;
    const prefix = level === 0 ? module : base === '' ? module : `${base}.${module}`;
    for (const name of this.#tree.beginningWith(prefix)) this.#reachModule(name, by, line);
  }

  /** What is no import that can be seen, but leads to modules all the same. */
  #followHints(path: string, facts: ModuleFacts): void {
    for (const text of facts.texts) {
      this.#reachNamed(text, path);
      this.#reachNamedData(text, path);
    }
    // What it finds in the function's own code nobody sees.
    if (facts.unseen.length > 0 || (facts.movesPath && this.#ownerOf(path) === '')) this.#keepOwn(path);
    if (facts.movesPath && this.#ownerOf(path) !== '') this.#keepPackageWhole(this.#ownerOf(path), path);
    // The standard library takes its time zones from there (PEP 615).
    if (facts.imports.some(({ module, level }) => level === 0 && /^(?:backports\.)?zoneinfo(?:\.|$)/.test(module)))
      this.#keepPackageWhole('tzdata', path);
  }

  #ownerOf(path: string): string {
    return this.#request.files.get(path)?.owner ?? '';
  }

  /** A text that is the name of a module, of something in one, or of a group of entry points. */
  #reachNamed(text: string, by: string): void {
    const name = text.split(':')[0] ?? text;
    if (this.#tree.has(name)) this.#reachModule(name, by);
    else {
      const around = name.slice(0, Math.max(0, name.lastIndexOf('.')));
      if (this.#tree.fileOf(around) !== undefined) this.#reachModule(around, by);
    }
    if (!/^(?:console|gui)_scripts$/.test(text))
      for (const module of this.#request.entryPoints(text)) this.#reachModule(module, by);
  }

  /** A text that is the name of a package beside the module, in which there is more than modules: its data is looked for. */
  #reachNamedData(text: string, by: string): void {
    const name = `${packageOf(by)}.${text}`;
    if (!/^\w+$/.test(text) || !this.#tree.has(name)) return;
    const folder = `${folderOf(by)}/${text}/`;
    const isData = (path: string): boolean =>
      path.startsWith(folder) && !path.includes('/', folder.length) && !/\.(?:pyi?|so|pyc|typed)$/.test(path);
    if (this.#filesOf(this.#ownerOf(by)).some(isData)) this.#reachModule(name, by);
  }

  #keepOwn(by: string): void {
    if (!this.#edges.askTogether('own', by)) return;
    for (const path of this.#filesOf('')) if (path.endsWith('.py') && !isOwnTest(path)) this.#keep('own', path, by);
  }

  /** `from x import *` takes what `__all__` names, which may be modules. */
  #reachAll(name: string, by: string, line: number): void {
    const file = this.#tree.fileOf(name);
    const facts = file?.endsWith('.py') === true ? this.#request.factsOf(file) : undefined;
    for (const one of facts?.all ?? []) this.#reachModule(`${name}.${one}`, by, line);
  }

  /** Keeps all of the package at the top that a file is in, and reaches what its distribution asks for. */
  #keepWhole(path: string, line?: number): string {
    const owner = this.#request.files.get(path)?.owner ?? '';
    const top = path.includes('/') ? `${path.slice(0, path.indexOf('/'))}/` : '';
    const kept = top === '' ? path : top;
    const together = `${owner}\0${kept}`;
    if (!this.#edges.askTogether(together, path, line)) return kept;
    for (const [other, file] of this.#request.files)
      if (file.owner === owner && (top === '' ? isTopModule(other) : other.startsWith(top)))
        this.#keep(together, other, path);
    for (const module of this.#request.requiredBy(owner).flatMap((one) => [...(this.#topModules.get(one) ?? [])])) {
      for (const file of this.#tree.filesFor(module)) this.#edges.keepTogether(together, file);
      this.#reachModule(module, path);
    }
    return kept;
  }

  /** Files that are no modules stay beside modules that are reached. */
  #reachData(): void {
    const packages = this.#packagesOfCode();
    const code = [...this.#reached.keys()].filter((path) => /\.(?:py|so)$/.test(path));
    const used = new Set(code.map(folderOf));
    for (const path of code) this.#edges.askTogether(beside(folderOf(path)), path);
    for (const [path, { owner }] of this.#request.files) {
      // Scripts are for people at a shell; what they import is not followed.
      if (/\.pyc?$|^bin\//.test(path) || this.#isModule(path) || !this.#owners.has(owner)) continue;
      let folder = folderOf(path);
      while (folder !== '' && !packages.has(folder)) folder = folderOf(folder);
      if (folder !== '' && !used.has(folder)) continue;
      // What is kept for another reason too would stay for this one. That of a whole package hangs by the package itself.
      if (folder !== '') this.#edges.keepTogether(beside(folder), path);
      if (!this.#reached.has(path)) this.#reached.set(path, { by: folder, how: 'data' });
    }
  }

  /** Folders of modules. One that has nothing but an `__init__.py` without content is a place for data, which others read. */
  #packagesOfCode(): ReadonlySet<string> {
    const folders = new Set<string>();
    const marks: string[] = [];
    for (const path of this.#request.files.keys())
      if (path.endsWith('/__init__.py')) marks.push(path);
      else if (path.endsWith('.py')) folders.add(folderOf(path));
    for (const path of marks) {
      if (folders.has(folderOf(path))) continue;
      const { imports = [], members = {} } = this.#request.factsOf(path) ?? {};
      if (imports.length > 0 || Object.keys(members).length > 0) folders.add(folderOf(path));
    }
    return folders;
  }

  #isModule(path: string): boolean {
    return path.endsWith('.so') && this.#tree.fileOf(moduleStem(path)) === path && this.#request.isExtension(path);
  }
}

/** What is kept together beside the modules of a folder. */
function beside(folder: string): string {
  return `beside ${folder}`;
}

/** Tests of the function itself, by where they lie and what they are called. */
function isOwnTest(path: string): boolean {
  return /(?:^|\/)tests?\//.test(path) || /^(?:test_.*|.*_test|conftest|setup)\.py$/.test(baseOf(path));
}

function moduleStem(path: string): string {
  return [...folderOf(path).split('/').filter(Boolean), baseOf(path).split('.')[0] ?? ''].join('.');
}

function isTopModule(path: string): boolean {
  return !path.includes('/') && /\.(?:py|so)$/.test(path);
}

/** The module at the top that a file belongs to; undefined for metadata, scripts and libraries. */
function topOf(path: string): string | undefined {
  const [first = ''] = path.split('/');
  const [, name] = /^([A-Za-z_]\w*)(?:\.py|(?:\.[\w-]+)?\.so)?$/.exec(first) ?? [];
  return name === undefined || !/\.(?:py|so)$/.test(path) ? undefined : name;
}
