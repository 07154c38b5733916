/** Follows what modules ask for, from the entry on: which files are reached, by whom, and what cannot be seen. */
import { comparePaths, folderOf, joinPath, settlePath } from '../../../base/paths';
import { literalPattern } from '../../../base/text';
import { EdgeBook } from '../../../fileset/edges';
import type { UnseenImport } from '../../../fileset/model';
import type { Resolved, Way } from '../resolve/resolver';
import type { ModuleFacts, ModuleRequest } from './facts';
import type { Edge, MissingModule, Reach, Trace, TraceRequest } from './model';
import { firstAtLeast, isOwnTest } from './paths';

const MAX_MATCHES = 20_000;

/** What is reached from an entry as Node.js resolves it, each with who reached it and how. */
export async function traceModules(request: TraceRequest): Promise<Trace> {
  return new Tracer(request).run();
}

class Tracer {
  readonly #request: TraceRequest;
  readonly #files: ReadonlySet<string>;
  readonly #reached = new Map<string, Reach>();
  readonly #edges = new Map<string, Edge[]>();
  readonly #unseen: UnseenImport[] = [];
  readonly #missing: MissingModule[] = [];
  readonly #dependencies = new EdgeBook();
  readonly #hinted = new Set<string>();
  /** Modules that ES modules import. */
  readonly #imported = new Set<string>();
  readonly #forNames = new Map<string, readonly Edge[]>();
  #addons: readonly string[] | undefined;
  #byLowerCase: Map<string, string> | undefined;
  #frontier: string[] = [];

  constructor(request: TraceRequest) {
    this.#request = request;
    this.#files = new Set(request.files);
  }

  async run(): Promise<Trace> {
    const { roots, load, factsOf } = this.#request;
    for (const [path, reach] of roots) this.#reach(path, reach);
    do
      while (this.#frontier.length > 0) {
        const wave = this.#frontier.sort(comparePaths);
        this.#frontier = [];
        await load(wave);
        for (const path of wave) this.#follow(path, factsOf(path));
      }
    while (this.#followNames() || this.#followHints());
    return {
      reached: this.#reached,
      edges: this.#edges,
      unseen: this.#unseen,
      missing: this.#missing,
      dependencies: this.#dependencies.edges,
    };
  }

  /** @returns whether anything was reached by them */
  #followHints(): boolean {
    const { hints } = this.#request;
    if (hints === undefined) return false;
    // Where every load can be seen, a text leads nowhere.
    if (this.#unseen.length > 0) {
      for (const path of [...this.#reached.keys()].sort(comparePaths))
        if (!this.#hinted.has(path)) this.#followTexts(path);
      if (hints.keepsOwn) this.#keepOwn();
    }
    this.#keepAddons();
    if (this.#frontier.length > 0) return true;
    for (const owner of hints.asked) this.#keepAsked(owner);
    return this.#frontier.length > 0;
  }

  /** A text that is, as a whole, the name of a package, of a part of one, or of a file of the function. */
  #followTexts(path: string): void {
    this.#hinted.add(path);
    const { factsOf, resolver, ownerOf } = this.#request;
    const owner = ownerOf(path);
    for (const text of factsOf(path)?.texts ?? []) {
      const isFile = /^\.{1,2}\//.test(text);
      const name = /^(?:@[^/]+\/)?[^/]+/.exec(text)?.[0] ?? '';
      if (!isFile && (resolver.packages.find(name, folderOf(path)) ?? owner) === owner) continue;
      const found = [resolver.resolve(text, path, 'require'), resolver.resolve(text, path, 'import')];
      for (const one of found) if (one.kind === 'file') this.#reach(one.path, { how: 'hinted', by: path });
    }
  }

  /**
   * Compiled files of packages of which code is reached: loaders find addons by their folder, and the place of WebAssembly is
   * put together as well. Where some of a package is found by its name, the rest is for other cases.
   */
  #keepAddons(): void {
    const { files, ownerOf, isCode } = this.#request;
    this.#addons ??= files.filter((path) => /\.(?:node|wasm)$/.test(path) && ownerOf(path) !== '');
    const found = new Set(
      this.#addons.filter((path) => path.endsWith('.wasm') && this.#reached.has(path)).map(ownerOf),
    );
    const left = this.#addons.filter(
      (path) => !this.#reached.has(path) && !(path.endsWith('.wasm') && found.has(ownerOf(path))),
    );
    if (left.length === 0) return;
    const users = new Map([...this.#reached.keys()].filter(isCode).map((path) => [ownerOf(path), path]));
    for (const path of left) {
      const by = users.get(ownerOf(path));
      if (by !== undefined) this.#reach(path, { how: 'hinted', by });
    }
  }

  #keepOwn(): void {
    const [first] = this.#unseen;
    const isFirst = this.#unseen.filter(({ file, line }) => this.#dependencies.askTogether('', file, line)).length > 0;
    if (!isFirst || first === undefined) return;
    const by = `${first.file}:${String(first.line)}`;
    for (const file of this.#request.files)
      if (this.#request.ownerOf(file) === '' && this.#request.isCode(file) && !isOwnTest(file))
        this.#keep('', file, by);
  }

  /** A package that the function asks for, of which nothing is reached. */
  #keepAsked(owner: string): void {
    const { ownerOf, isCode } = this.#request;
    const files = this.#below(`${owner}/`).filter((path) => ownerOf(path) === owner);
    const code = files.filter(isCode);
    if (code.length === 0 || code.some((path) => this.#reached.has(path))) return;
    for (const file of files) this.#reach(file, { how: 'asked', by: '' });
  }

  /** Reaches a file as part of what is kept together. */
  #keep(together: string, path: string, by: string): void {
    this.#dependencies.keepTogether(together, path);
    this.#reach(path, { how: 'whole', by });
  }

  #reach(path: string, reach: Reach, line?: number): void {
    if (reach.how !== 'whole') this.#dependencies.ask(reach.by, path, line);
    const before = this.#reached.get(path);
    // What is asked for is told rather than what is only kept.
    if (before !== undefined && (before.how !== 'whole' || reach.how === 'whole')) return;
    if (!this.#files.has(path)) return;
    this.#reached.set(path, reach);
    if (before !== undefined) return;
    if (this.#request.isCode(path)) this.#frontier.push(path);
    if (this.#request.isCode(path) || path.endsWith('.json')) this.#besides(path);
  }

  /** The package.json files that say how a file is to be read and where the others of its package are. */
  #besides(path: string): void {
    const { resolver, ownerOf } = this.#request;
    const scope = resolver.packages.scopeOf(path);
    const owner = ownerOf(path);
    for (const folder of new Set([...(scope === undefined ? [] : [scope]), ...(owner === '' ? [] : [owner])])) {
      const file = joinPath(folder, 'package.json');
      if (file !== path) this.#reach(file, { how: 'beside', by: path });
    }
  }

  #follow(path: string, facts: ModuleFacts | undefined): void {
    if (facts === undefined) return;
    const edges: Edge[] = [];
    this.#edges.set(path, edges);
    for (const request of facts.requests) {
      if (!this.#holds(request)) {
        if (facts.cjs?.reexports.includes(request.specifier) === true) this.#noteForNames(path, request);
        continue;
      }
      const edge = this.#edge(path, request);
      if (edge === undefined) continue;
      edges.push(edge);
      if (facts.esm !== undefined && (request.kind === 'import' || request.kind === 'dynamic'))
        for (const target of edge.targets) this.#imported.add(target);
      const how = request.kind === 'file' || request.kind === 'file-names' ? 'file' : 'import';
      for (const target of edge.targets) this.#reach(target, { how, by: path }, request.line);
    }
    for (const { line, what } of facts.unseen) this.#keepWhole(path, line, what);
  }

  /** What the text says is passed on, in a branch that does not run. */
  #noteForNames(path: string, request: ModuleRequest): void {
    const edge = this.#edge(path, request);
    if (edge === undefined) return;
    this.#forNames.set(path, [...(this.#forNames.get(path) ?? []), { ...edge, isForNames: true }]);
  }

  /**
   * Node.js finds the names of a CommonJS module that is imported in its text, whatever branch runs, and goes on to what
   * that passes on. @returns whether anything was reached so
   */
  #followNames(): boolean {
    for (const path of this.#imported) {
      const edges = this.#edges.get(path) ?? [];
      const reexports = this.#request.factsOf(path)?.cjs?.reexports ?? [];
      const skipped = this.#forNames.get(path) ?? [];
      this.#forNames.delete(path);
      edges.push(...skipped);
      const passedOn = edges.filter(({ request }) => reexports.includes(request.specifier));
      for (const target of passedOn.flatMap(({ targets }) => targets)) this.#imported.add(target);
      for (const { request, targets } of skipped)
        for (const target of targets) this.#reach(target, { how: 'import', by: path }, request.line);
    }
    return this.#frontier.length > 0;
  }

  #holds({ when }: ModuleRequest): boolean {
    const { nodeEnv } = this.#request;
    return (
      nodeEnv === undefined || when === undefined || when.every(([value, isEqual]) => (value === nodeEnv) === isEqual)
    );
  }

  #edge(from: string, request: ModuleRequest): Edge | undefined {
    const { kind, specifier } = request;
    if (kind === 'file') return { request, targets: this.#file(from, specifier) };
    if (kind === 'file-names') return { request, targets: this.#matching(from, specifier, false) };
    if (kind === 'require-names') return { request, targets: this.#matching(from, specifier, true) };
    const found = this.#resolve(from, request);
    if (found.kind === 'file') return { request, targets: [found.path] };
    if (found.kind === 'builtin') return { request, targets: [], builtin: found.name };
    const near = found.near ?? this.#inOtherCase(from, specifier);
    this.#missing.push({ from, request, why: found.why, ...(near !== undefined && { near }) });
    return undefined;
  }

  #resolve(from: string, { kind, specifier }: ModuleRequest): Resolved {
    const isEsm = this.#request.factsOf(from)?.format === 'esm';
    const way: Way = kind === 'import' || kind === 'dynamic' ? 'import' : 'require';
    // `import.meta.resolve` looks as `import` does; `require.resolve` of an ES module comes of `createRequire`.
    return this.#request.resolver.resolve(
      specifier,
      from,
      kind === 'resolve' && isEsm && !/^\.|^#/.test(specifier) ? 'require' : way,
    );
  }

  /** On some systems a name in other letters finds the file all the same. */
  #inOtherCase(from: string, specifier: string): string | undefined {
    const path = specifier.startsWith('.') ? settlePath(joinPath(folderOf(from), specifier))?.toLowerCase() : undefined;
    if (path === undefined) return undefined;
    this.#byLowerCase ??= new Map(this.#request.files.map((file) => [file.toLowerCase(), file]));
    return ['', '.js', '.ts', '.mjs', '.json', '/index.js']
      .map((end) => this.#byLowerCase?.get(path + end))
      .find(Boolean);
  }

  /** A file, or all files of a folder. */
  #file(from: string, specifier: string): string[] {
    const path = specifier.startsWith('/') ? specifier.slice(1) : settlePath(joinPath(folderOf(from), specifier));
    if (path === undefined) return [];
    if (this.#files.has(path)) return [path];
    const compiled = this.#request.resolver.resolve(`./${path}`, '', 'import');
    if (compiled.kind === 'file' && !specifier.startsWith('/')) return [compiled.path];
    return path === '' ? [] : this.#below(`${path}/`);
  }

  #below(prefix: string): string[] {
    const { files } = this.#request;
    const found: string[] = [];
    for (let i = firstAtLeast(files, prefix); i < files.length && files[i]?.startsWith(prefix) === true; i++)
      found.push(files[i] ?? '');
    // Packages that lie below belong to themselves.
    return found.filter((path) => !path.slice(prefix.length).includes('node_modules/'));
  }

  /** All files whose names fit a pattern, with the endings that may be left out for modules. */
  #matching(from: string, pattern: string, isModule: boolean): string[] {
    const endings = isModule ? '(?:\\.[cm]?[jt]sx?|\\.json|\\.node|/index\\.[cm]?[jt]sx?)?' : '(?:/.*)?';
    const found = this.#patterns(from, pattern).flatMap((path) => {
      const expression = new RegExp(`^${path.split('*').map(literalPattern).join('.*')}${endings}$`, 's');
      const prefix = path.slice(0, path.indexOf('*')).replace(/[^/]*$/, '');
      return this.#below(prefix).filter((one) => expression.test(one) && !/\.d\.[cm]?ts$/.test(one));
    });
    return [...new Set(found)].slice(0, MAX_MATCHES);
  }

  /** A pattern as those of paths in the artifact: relative to the module, or in a package. */
  #patterns(from: string, pattern: string): string[] {
    if (pattern.startsWith('/')) return [pattern.slice(1)];
    const isRelative = /^\.{0,2}\//.test(pattern) || !/^(?:@[^/]+\/)?[^/]+\//.test(pattern);
    const inPackage = isRelative ? undefined : this.#request.resolver.filePatterns(pattern, from);
    if (inPackage !== undefined) return inPackage;
    // A file pattern without dots is beside the module.
    const head = /^(?:\.{1,2}\/)*/.exec(pattern)?.[0] ?? '';
    const folder = settlePath(joinPath(folderOf(from), head));
    return folder === undefined ? [] : [joinPath(folder, pattern.slice(head.length))];
  }

  #keepWhole(path: string, line: number, what: string): void {
    const { ownerOf, files } = this.#request;
    const owner = ownerOf(path);
    this.#unseen.push({ file: path, line, what, kept: owner });
    if (!this.#dependencies.askTogether(owner, path, line)) return;
    const by = `${path}:${String(line)}`;
    for (const kept of [owner, ...this.#optionalOf(owner)]) {
      const inside = kept === '' ? files : this.#below(`${kept}/`);
      for (const file of inside) if (ownerOf(file) === kept) this.#keep(owner, file, by);
    }
  }

  /** Packages with addons for one platform are loaded by names that are put together when the code runs. */
  #optionalOf(owner: string): string[] {
    if (owner === '') return [];
    const { resolver, ownerOf } = this.#request;
    const names = resolver.packages.in(owner)?.optionalDependencies ?? [];
    return names.flatMap((name) => {
      const found = resolver.packages.find(name, owner);
      return found === undefined ? [] : [ownerOf(`${found}/package.json`)];
    });
  }
}
