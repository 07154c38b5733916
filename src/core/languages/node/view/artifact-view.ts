/** An artifact as Node.js would see it: what loading its entry reaches, and what each module says of itself. */
import { comparePaths } from '../../../base/paths';
import { contentDigest } from '../../../disk/digest';
import { ownerOf } from './owner';
import { Resolver } from '../resolve/resolver';
import { Shaker, type Link, type LinkModule } from '../link/shake';
import type { ModuleFacts } from '../trace/facts';
import { ModuleBook } from '../trace/module-book';
import { ModulePool } from '../trace/threads/module-pool';
import { Modules } from '../trace/modules';
import type { Trace } from '../trace/model';
import { traceModules } from '../trace/tracer';

export interface NodeViewRequest {
  readonly paths: readonly string[];
  readonly readText: (path: string) => string | undefined;
  /** SHA-256 of a file, where it is known without reading. */
  readonly digestOf: (path: string) => string | undefined;
  readonly entry: string;
  readonly requiresEsm: boolean;
  readonly nodeEnv: string | undefined;
  /** Where facts are kept; they are read again without it. Absolute path. */
  readonly book: string | undefined;
  readonly threads: number;
}

export interface NodeView {
  readonly trace: Trace;
  readonly requiresEsm: boolean;
  readonly factsOf: (path: string) => ModuleFacts | undefined;
  /** The package that a file belongs to, by where it lies; '' for the function itself. */
  readonly ownerOf: (path: string) => string;
  /** Whether a module exports a name, as far as reading can tell. */
  readonly hasExport: (path: string, name: string) => boolean;
  readonly exportsOf: (path: string) => readonly string[];
  readonly resolver: Resolver;
}

/** Reads what of the modules in an artifact rules ask about, from the entry on. */
export async function viewNodeArtifact(request: NodeViewRequest): Promise<NodeView> {
  const files = [...request.paths].sort(comparePaths);
  const known = new Set(files);
  const tree = { isFile: (path: string): boolean => known.has(path), readText: request.readText };
  const resolver = new Resolver({ tree, requiresEsm: request.requiresEsm });
  const pool = new ModulePool(request.threads);
  const book = new ModuleBook(request.book);
  const modules = new Modules(book, pool);
  try {
    const trace = await traceModules({
      files,
      resolver,
      roots: [[request.entry, { how: 'entry', by: '' }]],
      load: (paths) =>
        modules.load(
          paths.map((path) => {
            const text = (): string => request.readText(path) ?? '';
            const sha256 = (): string => request.digestOf(path) ?? contentDigest(text());
            return { path, text, sha256, format: resolver.packages.formatOf(path) };
          }),
        ),
      factsOf: (path) => modules.get(path)?.facts,
      nodeEnv: request.nodeEnv,
      ownerOf,
      isCode: (path) => /\.[cm]?jsx?$/.test(path),
    });
    book.keep();
    const factsOf = (path: string): ModuleFacts | undefined => modules.get(path)?.facts;
    return {
      trace,
      requiresEsm: request.requiresEsm,
      factsOf,
      ownerOf,
      resolver,
      ...exportsView(trace, resolver, factsOf),
    };
  } finally {
    await pool.close();
  }
}

function exportsView(
  trace: Trace,
  resolver: Resolver,
  factsOf: (path: string) => ModuleFacts | undefined,
): Pick<NodeView, 'hasExport' | 'exportsOf'> {
  const modules = new Map<string, LinkModule>();
  for (const path of trace.reached.keys()) {
    const facts = factsOf(path);
    if (facts === undefined || facts.fault !== undefined) continue;
    const links = new Map<string, Link>();
    for (const { request, targets, builtin } of trace.edges.get(path) ?? []) {
      const [target] = targets;
      if (builtin !== undefined) links.set(request.specifier, { kind: 'host', id: builtin, isEsm: false });
      else if (target !== undefined) links.set(request.specifier, { kind: 'module', path: target });
    }
    modules.set(path, { path, facts, links, statics: [], dynamics: [], matches: [] });
  }
  const shaker = new Shaker(modules, resolver.packages);
  return {
    exportsOf: (path) => shaker.namesOf(path),
    hasExport: (path, name) => {
      const origin = shaker.originOf(path, name);
      if (origin.kind !== 'foreign') return origin.kind !== 'none';
      const { link } = origin;
      // What cannot be read may well have it.
      if (link.kind === 'host' || !modules.has(link.path)) return true;
      return origin.name === 'default' || shaker.commonJsNames(link.path).includes(origin.name);
    },
  };
}
