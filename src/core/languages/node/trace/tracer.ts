/** Follows what modules ask for, from the entry on: which files are reached, by whom, and what cannot be seen. */
import { comparePaths, folderOf, joinPath, settlePath } from '../../../base/paths';
import { literalPattern } from '../../../base/text';
import type { UnseenImport } from '../../../fileset/model';
import type { Resolved, Resolver, Way } from '../resolve/resolver';
import type { ModuleFacts, ModuleRequest } from './facts';

export interface Reach {
  /** `import`: a module. `file`: a file that a module names. `whole`: kept for what cannot be seen. `beside`: package.json. */
  readonly how: 'entry' | 'import' | 'file' | 'whole' | 'beside' | 'kept';
  /** The file that asks for it; a place for `whole`. */
  readonly by: string;
}

/** One request and where it leads. */
export interface Edge {
  readonly request: ModuleRequest;
  /** Files that it reaches; several for a pattern. */
  readonly targets: readonly string[];
  readonly builtin?: string;
}

export interface MissingModule {
  readonly from: string;
  readonly request: ModuleRequest;
  readonly why: string;
  readonly near?: string;
}

export interface Trace {
  readonly reached: ReadonlyMap<string, Reach>;
  readonly edges: ReadonlyMap<string, readonly Edge[]>;
  readonly unseen: readonly UnseenImport[];
  readonly missing: readonly MissingModule[];
}

export interface TraceRequest {
  /** All files, sorted. */
  readonly files: readonly string[];
  readonly resolver: Resolver;
  /** Modules at which tracing starts, with the reason. */
  readonly roots: readonly (readonly [path: string, reach: Reach])[];
  /** Reads modules, so that their facts can be asked for. */
  readonly load: (paths: readonly string[]) => Promise<void>;
  readonly factsOf: (path: string) => ModuleFacts | undefined;
  /** The value of NODE_ENV that is known to be set. */
  readonly nodeEnv: string | undefined;
  /** The package that a file belongs to: '' for the function itself, else where it lies. */
  readonly ownerOf: (path: string) => string;
  /** What is kept of an owner when not all of it can be seen; its files otherwise. */
  readonly isCode: (path: string) => boolean;
}

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
  readonly #whole = new Set<string>();
  #byLowerCase: Map<string, string> | undefined;
  #frontier: string[] = [];

  constructor(request: TraceRequest) {
    this.#request = request;
    this.#files = new Set(request.files);
  }

  async run(): Promise<Trace> {
    const { roots, load, factsOf } = this.#request;
    for (const [path, reach] of roots) this.#reach(path, reach);
    while (this.#frontier.length > 0) {
      const wave = this.#frontier.sort(comparePaths);
      this.#frontier = [];
      await load(wave);
      for (const path of wave) {
        const facts = factsOf(path);
        if (facts !== undefined) this.#follow(path, facts);
      }
    }
    return { reached: this.#reached, edges: this.#edges, unseen: this.#unseen, missing: this.#missing };
  }

  #reach(path: string, reach: Reach): void {
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

  #follow(path: string, facts: ModuleFacts): void {
    const edges: Edge[] = [];
    this.#edges.set(path, edges);
    for (const request of facts.requests) {
      if (!this.#holds(request)) continue;
      const edge = this.#edge(path, request);
      if (edge === undefined) continue;
      edges.push(edge);
      const how = request.kind === 'file' || request.kind === 'file-names' ? 'file' : 'import';
      for (const target of edge.targets) this.#reach(target, { how, by: path });
    }
    for (const { line, what } of facts.unseen) this.#keepWhole(path, line, what);
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
    const [folder, rest] = this.#patternBase(from, pattern);
    if (folder === undefined) return [];
    const endings = isModule ? '(?:\\.[cm]?[jt]sx?|\\.json|\\.node|/index\\.[cm]?[jt]sx?)?' : '(?:/.*)?';
    const expression = new RegExp(`^${rest.split('*').map(literalPattern).join('.*')}${endings}$`, 's');
    const prefix = joinPath(folder, rest.slice(0, rest.indexOf('*'))).replace(/[^/]*$/, '');
    const start = folder === '' ? 0 : folder.length + 1;
    const found = this.#below(prefix).filter(
      (path) => expression.test(path.slice(start)) && !/\.d\.[cm]?ts$/.test(path),
    );
    return found.slice(0, MAX_MATCHES);
  }

  /** The folder from which a pattern is looked for, and the rest of it. */
  #patternBase(from: string, pattern: string): [string | undefined, string] {
    if (pattern.startsWith('/')) return ['', pattern.slice(1)];
    if (/^\.{0,2}\//.test(pattern) || !/^(?:@[^/]+\/)?[^/]+\//.test(pattern) || pattern.startsWith('./')) {
      const head = /^(?:\.{1,2}\/)*/.exec(pattern)?.[0] ?? '';
      return [settlePath(joinPath(folderOf(from), head)), pattern.slice(head.length)];
    }
    const name = /^(?:@[^/]+\/)?[^/]+/.exec(pattern)?.[0] ?? '';
    const found = this.#request.resolver.resolve(`${name}/package.json`, from, 'require');
    // A file pattern without dots is beside the module.
    if (found.kind !== 'file') return [folderOf(from), pattern];
    return [folderOf(found.path), pattern.slice(name.length + 1)];
  }

  #keepWhole(path: string, line: number, what: string): void {
    const { ownerOf, files } = this.#request;
    const owner = ownerOf(path);
    this.#unseen.push({ file: path, line, what, kept: owner });
    if (this.#whole.has(owner)) return;
    this.#whole.add(owner);
    const by = `${path}:${String(line)}`;
    for (const kept of [owner, ...this.#optionalOf(owner)]) {
      const inside = kept === '' ? files : this.#below(`${kept}/`);
      for (const file of inside) if (ownerOf(file) === kept) this.#reach(file, { how: 'whole', by });
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

function firstAtLeast(sorted: readonly string[], wanted: string): number {
  let [low, high] = [0, sorted.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (comparePaths(sorted[middle] ?? '', wanted) < 0) low = middle + 1;
    else high = middle;
  }
  return low;
}
