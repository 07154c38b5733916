/** From what was traced to what is linked: which modules can be joined into one file, and which have to stay files. */
import type { LinkedPlace, Reason } from '../../../fileset/model';
import { joinPath } from '../../../base/paths';
import type { LinkedPart, Assembling, NodePlaced } from '../assemble/assembly';
import { NO_FACTS, type ModuleFacts, type ModuleRequest } from '../trace/facts';
import type { Edge, Trace } from '../trace/model';
import { linkedFiles, linkModules, type LinkedFile } from './linker';
import type { Frame } from './parts';
import type { PlacedPart, Section } from './section';
import type { Link, LinkModule } from './shake';

export interface LinkedTrace {
  readonly placed: readonly NodePlaced[];
  /** Files that are packed by themselves. */
  readonly asFiles: ReadonlySet<string>;
  readonly parts: readonly LinkedPart[];
  readonly entryFile: string;
  readonly frames: readonly Frame[];
  readonly sections: readonly Section[];
}

const JSON_FACTS: ModuleFacts = { format: 'cjs', ...NO_FACTS, cjs: { exports: [], reexports: [] } };

/** @returns undefined where the entry itself cannot be linked; everything stays files then */
export async function linkTrace(assembler: Assembling, trace: Trace): Promise<LinkedTrace | undefined> {
  const { request, resolver } = assembler;
  const entry = request.entry.file;
  const unlinkable = closure(trace, unlinkableModules(assembler, trace));
  if (unlinkable.has(entry)) return undefined;
  const modules = collectModules(assembler, trace, unlinkable);
  const linked = await linkModules({
    modules,
    packages: resolver.packages,
    entry,
    member: request.entry.member,
    codeOf: (path) => request.modules.get(path)?.code() ?? assembler.writtenText(path),
    mapOf: (path) => request.modules.get(path)?.map,
    writtenText: (path) => assembler.writtenText(path),
    sourceName: request.sourceName,
    minify: request.minify,
    sourcemap: request.sourcemap,
    pool: request.pool,
  });
  const files = linkedFiles(linked.frames, linked.sections, request.sourcemap);
  const [first] = files;
  const live = new Set(linked.modules);
  const places = placesOf(
    linked.frames,
    linked.sections.map(({ plan, ...one }) => ({ path: plan.path, ...one })),
  );
  const asFiles = filesBeside(assembler, trace, { live, unlinkable });
  assembler.packed = new Set([...live, ...asFiles]);
  return {
    placed: placedLinked(files),
    asFiles,
    parts: linked.modules.flatMap((path) => {
      const file = assembler.files.get(path);
      return file === undefined
        ? []
        : [
            {
              file,
              inside: places(path),
              reason: assembler.reasonOf(path, trace),
              settings: assembler.factsOf(path)?.settings ?? [],
              packages: packagesOf(assembler, trace, path),
            },
          ];
    }),
    entryFile: first?.path ?? entry,
    frames: linked.frames,
    sections: linked.sections,
  };
}

/** Where each module stands, and what it takes there. */
export function placesOf(
  frames: readonly Frame[],
  sections: readonly (PlacedPart & { readonly path: string })[],
): (path: string) => LinkedPlace {
  const places = new Map(
    sections.map(({ path, file, part }) => [
      path,
      { file: frames[file]?.path ?? '', bytes: Buffer.byteLength(part.text) },
    ]),
  );
  // Of a module that has nothing left nothing is written.
  return (path) => places.get(path) ?? { file: frames[0]?.path ?? '', bytes: 0 };
}

/** Linked files with their reasons: the first is loaded, the others are made for it. */
export function placedLinked(files: readonly LinkedFile[]): NodePlaced[] {
  const [first] = files;
  return files.map(({ path, text }, i): NodePlaced => {
    const reason: Reason = i === 0 ? { why: 'entry' } : { why: 'made-for', by: first?.path ?? '' };
    return { path, text, reason };
  });
}

function packagesOf(assembler: Assembling, trace: Trace, path: string): string[] {
  const owners = (trace.edges.get(path) ?? []).flatMap(({ targets }) =>
    targets.map((target) => assembler.files.get(target)?.owner ?? ''),
  );
  return [...new Set(owners)].filter((owner) => owner !== '' && owner !== assembler.files.get(path)?.owner).sort();
}

/** Modules that look around where they lie, and those that cannot be read. */
function unlinkableModules(assembler: Assembling, trace: Trace): string[] {
  const owners = new Set(trace.unseen.map(({ kept }) => kept).filter((owner) => owner !== ''));
  const own = new Set(trace.unseen.filter(({ kept }) => kept === '').map(({ file }) => file));
  return [...trace.reached.keys()].filter((path) => {
    const owner = assembler.files.get(path)?.owner ?? '';
    return owners.has(owner) || own.has(path) || assembler.factsOf(path)?.fault !== undefined;
  });
}

function closure(trace: Trace, start: Iterable<string>): Set<string> {
  const found = new Set<string>();
  const open = [...start];
  for (let path = open.pop(); path !== undefined; path = open.pop()) {
    if (found.has(path)) continue;
    found.add(path);
    for (const { targets } of trace.edges.get(path) ?? []) open.push(...targets);
  }
  return found;
}

/** Whether a request is answered by what is linked; otherwise Node.js itself looks for a file. */
function isLinked({ kind, specifier, isPath }: ModuleRequest, from: ModuleFacts): boolean {
  if (isPath === true || kind === 'file' || kind === 'file-names' || kind === 'resolve') return false;
  // `require` in an ES module is one that the module made for itself.
  if (kind === 'require') return from.esm === undefined;
  return kind !== 'require-names' || specifier.startsWith('.');
}

function collectModules(assembler: Assembling, trace: Trace, unlinkable: ReadonlySet<string>): Map<string, LinkModule> {
  const modules = new Map<string, LinkModule>();
  const open = [assembler.request.entry.file];
  for (let path = open.pop(); path !== undefined; path = open.pop()) {
    if (modules.has(path)) continue;
    const facts = path.endsWith('.json') ? JSON_FACTS : assembler.factsOf(path);
    if (facts === undefined) continue;
    const module = linkModule(assembler, { path, facts, edges: trace.edges.get(path) ?? [] }, unlinkable);
    modules.set(path, module);
    for (const link of module.links.values()) if (link.kind === 'module') open.push(link.path);
    open.push(...module.matches);
  }
  return modules;
}

function linkModule(
  assembler: Assembling,
  { path, facts, edges }: { readonly path: string; readonly facts: ModuleFacts; readonly edges: readonly Edge[] },
  unlinkable: ReadonlySet<string>,
): LinkModule {
  const links = new Map<string, Link>();
  const statics = new Set<string>();
  const dynamics = new Set<string>();
  const matches: string[] = [];
  for (const { request, targets, builtin, isForNames } of edges) {
    if (!isLinked(request, facts)) continue;
    const { kind, specifier } = request;
    if (kind === 'require-names') {
      matches.push(...targets.filter((target) => !unlinkable.has(target) && isModule(assembler, target)));
      continue;
    }
    // In CJS `import(…)` may lead elsewhere than `require` of the same name.
    const key = kind === 'dynamic' && facts.esm === undefined ? `import ${specifier}` : specifier;
    const link = linkFor(assembler, targets[0], builtin, unlinkable);
    if (link === undefined) continue;
    links.set(key, link);
    if (isForNames !== true) (kind === 'import' ? statics : dynamics).add(key);
  }
  return { path, facts, links, statics: [...statics], dynamics: [...dynamics], matches };
}

function linkFor(
  assembler: Assembling,
  target: string | undefined,
  builtin: string | undefined,
  unlinkable: ReadonlySet<string>,
): Link | undefined {
  if (builtin !== undefined) return { kind: 'host', id: `node:${builtin}`, isEsm: false };
  if (target === undefined) return undefined;
  if (!unlinkable.has(target) && isModule(assembler, target)) return { kind: 'module', path: target };
  const isEsm = assembler.factsOf(target)?.format === 'esm';
  return { kind: 'host', id: `/${assembler.emitted(target)}`, isEsm };
}

function isModule(assembler: Assembling, path: string): boolean {
  return path.endsWith('.json') || assembler.factsOf(path) !== undefined;
}

/** Everything that somebody will look for on the disk. */
function filesBeside(
  assembler: Assembling,
  trace: Trace,
  { live, unlinkable }: { readonly live: ReadonlySet<string>; readonly unlinkable: ReadonlySet<string> },
): Set<string> {
  const start: string[] = [];
  for (const [path, { how }] of trace.reached)
    if (
      how === 'whole' ||
      how === 'kept' ||
      how === 'hinted' ||
      how === 'asked' ||
      assembler.request.keptBy(path) !== undefined
    )
      start.push(path);
  const staysFile = (target: string): boolean => unlinkable.has(target) || !isModule(assembler, target);
  for (const path of live) {
    const facts = assembler.factsOf(path);
    if (facts === undefined) continue;
    for (const { request, targets } of trace.edges.get(path) ?? [])
      start.push(...(isLinked(request, facts) ? targets.filter(staysFile) : targets));
  }
  const files = closure(trace, start);
  // Loaders of addons find them from the package.json of their package.
  for (const path of [...files])
    if (isModule(assembler, path) || path.endsWith('.node')) addManifests(assembler, path, files);
  return files;
}

function addManifests(assembler: Assembling, path: string, files: Set<string>): void {
  const scope = assembler.resolver.packages.scopeOf(path);
  const owner = assembler.files.get(path)?.owner ?? '';
  for (const folder of [scope, owner === '' ? undefined : owner]) {
    const manifest = folder === undefined ? undefined : joinPath(folder, 'package.json');
    if (manifest !== undefined && assembler.files.has(manifest)) files.add(manifest);
  }
}
