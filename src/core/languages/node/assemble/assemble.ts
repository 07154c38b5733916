/** Puts packages and the function's own files together: what is compiled, what is reached, what is linked, what goes. */
import { EmballageError, type Problem } from '../../../base/errors';
import { comparePaths } from '../../../base/paths';
import { count, printable } from '../../../base/text';
import { condenseEdges, NO_EDGES, renameEdges, type DependencyEdges } from '../../../fileset/edges';
import type { MissingImport, Reason, Trimmed, UnseenImport } from '../../../fileset/model';
import { HTTP_ADAPTER_FILE } from './adapter';
import { isCompiled } from '../compile/settings';
import { emittedPath, rewriteModule } from './emit-files';
import type {
  Assembling,
  LinkedPart,
  LinkedParts,
  NodeAssembled,
  NodeAssembleRequest,
  NodeFile,
  NodePlaced,
} from './assembly';
import { canBeRemembered, type LinkMemory } from '../link/link-memory';
import { linkTrace } from '../link/link-trace';
import { relink } from '../link/relink';
import { recordOf } from '../link/record';
import { isCode, isTypesOnly, sourceOf, textOf } from './module-source';
import { Resolver } from '../resolve/resolver';
import type { ModuleFacts } from '../trace/facts';
import type { ModuleSource } from '../trace/modules';
import type { Reach, Trace } from '../trace/model';
import { traceModules } from '../trace/tracer';
import { isTestFile, mentionsIn, safeRuleFor, type Mentions } from './trim-safe';

/** @param links where the link is kept for the next time; undefined to keep nothing */
export async function assembleNode(request: NodeAssembleRequest, links?: LinkMemory): Promise<NodeAssembled> {
  const memory = canBeRemembered(request) ? links : undefined;
  await memory?.bring(request);
  const last = memory?.find(request);
  const again = last === undefined ? undefined : await relink(request, last);
  if (again !== undefined) return again;
  const assembler = new NodeAssembler(request);
  const assembled = await assembler.run();
  const record = memory === undefined ? undefined : recordOf(assembler, assembled, memory.keyOf(request));
  if (record !== undefined) memory?.keep(record);
  return assembled;
}

class NodeAssembler implements Assembling {
  readonly request: NodeAssembleRequest;
  readonly files = new Map<string, NodeFile>();
  /** Modules and files that are packed, where linking left out others; set by it. */
  packed: ReadonlySet<string> | undefined;
  /** What the linked files are made of; set by linking. */
  linked: LinkedParts | undefined;
  readonly resolver: Resolver;
  /** What Node.js itself would find, without a compiler's help. */
  readonly strict: Resolver;
  readonly #trimmed: Trimmed[] = [];

  constructor(request: NodeAssembleRequest) {
    this.request = request;
    for (const file of this.#trimSafely()) this.files.set(file.path, file);
    const tree = {
      isFile: (path: string): boolean => this.files.has(path),
      readText: (path: string): string | undefined => this.#readText(path),
    };
    this.strict = new Resolver({ tree, requiresEsm: request.requiresEsm });
    this.resolver = new Resolver({
      tree,
      requiresEsm: request.requiresEsm,
      ...(request.compiler !== undefined && { typescript: request.compiler.paths }),
    });
  }

  async run(): Promise<NodeAssembled> {
    const { trim, link, entry } = this.request;
    const isWhole = trim !== 'traced' && !link;
    const trace = this.#needsTrace(isWhole) ? await this.#trace(isWhole) : undefined;
    refuseFaults(this, trace);
    const linked = link && trace !== undefined ? await linkTrace(this, trace) : undefined;
    this.linked = linked;
    const kept = this.#kept(trace, isWhole, linked?.asFiles);
    const inside = linked?.parts ?? [];
    const gone = this.#gone(new Set([...kept, ...inside.map(({ file }) => file)]));
    return {
      placed: [...(linked?.placed ?? []), ...kept.flatMap((file) => this.#place(file, trace))],
      trimmed: this.#trimmed.sort((a, b) => comparePaths(a.path, b.path)),
      dropped: gone,
      unseen: trace === undefined ? [] : trace.unseen.map(withOwnerNamed),
      missing: isWhole ? [] : missingImports(trace),
      edges: this.#packedAsks(isWhole ? undefined : trace, inside, kept),
      linked: inside,
      entryFile: linked?.entryFile ?? this.emitted(entry.file),
    };
  }

  /** Specifiers of compiled files, and of the adapter, are written anew: where they lead has to be known. */
  #needsTrace(isWhole: boolean): boolean {
    const { compiler, entry } = this.request;
    return !isWhole || compiler !== undefined || entry.file === HTTP_ADAPTER_FILE;
  }

  /** Own files that are not in the artifact; those of packages are noted as trimmed. */
  #gone(packed: ReadonlySet<NodeFile>): string[] {
    const gone = [...this.files.values()].filter((file) => !packed.has(file));
    for (const { path, size, owner } of gone)
      if (owner !== '') this.#trimmed.push({ path, size, package: owner, by: 'not-reached' });
    return gone.filter(({ owner }) => owner === '').map(({ path }) => path);
  }

  /** Where a file lies in the artifact when it has been compiled. */
  emitted(path: string): string {
    const facts = this.request.modules.get(path)?.facts;
    return this.#isCompiled(path) ? emittedPath(path, facts?.format ?? 'esm', this.resolver.packages) : path;
  }

  reasonOf(path: string, trace: Trace | undefined): Reason {
    const pattern = this.request.keptBy(path);
    const reach = trace?.reached.get(path);
    if (reach?.how === 'kept' || reach === undefined) {
      if (pattern !== undefined) return { why: 'kept', by: pattern };
      return { why: path === this.request.entry.file ? 'entry' : 'in-source' };
    }
    return reasonOfReach({ ...reach, by: this.#packedAsker(reach.by, trace) });
  }

  /** Modules that linking leaves out ask for nothing any more: those count who asked for them. */
  #packedAsker(asker: string, trace: Trace | undefined): string {
    let at = asker;
    const seen = new Set<string>();
    while (this.packed?.has(at) === false && !seen.has(at)) {
      seen.add(at);
      const by = trace?.reached.get(at)?.by ?? '';
      if (by === '') return asker;
      at = by;
    }
    return at;
  }

  #isCompiled(path: string): boolean {
    return this.request.compiler !== undefined && this.files.get(path)?.isOwn === true && isCompiled(path);
  }

  /** A file as a person wrote it. */
  writtenText(path: string): string {
    return this.#readText(path) ?? '';
  }

  #readText(path: string): string | undefined {
    const file = this.files.get(path);
    return file === undefined ? undefined : textOf(file);
  }

  #trimSafely(): NodeFile[] {
    const { files, trim, keptBy, cpu, libc, mentionsOf } = this.request;
    const platform = { cpu, libc };
    if (trim === 'off') return [...files];
    const byOwner = new Map<string, NodeFile[]>();
    for (const file of files)
      byOwner.set(file.owner, [...(file.isOwn ? [] : (byOwner.get(file.owner) ?? [])), ...(file.isOwn ? [] : [file])]);
    const kept: NodeFile[] = files.filter(({ isOwn }) => isOwn);
    for (const [owner, own] of byOwner) {
      const inside = ({ path }: NodeFile): string => path.slice(owner.length + 1);
      const hasAddon = own.some(({ path }) => path.endsWith('.node'));
      const mentions = mentionsOf(owner, () => mentionsOfAll(own, inside));
      for (const file of own) {
        const by =
          keptBy(file.path) === undefined
            ? safeRuleFor({ path: inside(file), mentions, hasAddon, platform })
            : undefined;
        if (by === undefined) kept.push(file);
        else this.#trimmed.push({ path: file.path, size: file.size, package: owner, by });
      }
    }
    return kept.sort((a, b) => comparePaths(a.path, b.path));
  }

  /** @param isWhole nothing is taken out: only what has to be compiled is looked into */
  async #trace(isWhole: boolean): Promise<Trace> {
    const { entry, keptBy, modules, nodeEnv } = this.request;
    const own = [...this.files.values()].filter(({ path, isOwn }) => isOwn && isCode(path));
    await modules.readAhead(own.flatMap(({ path }) => this.moduleSource(path) ?? []));
    const roots: [string, Reach][] = [[entry.file, { how: 'entry', by: '' }]];
    for (const [path, file] of this.files) {
      const isKept = keptBy(path) !== undefined || (isWhole && file.isOwn);
      if (isKept) roots.push([path, { how: 'kept', by: '' }]);
    }
    return traceModules({
      files: [...this.files.keys()],
      resolver: this.resolver,
      roots,
      load: (paths) => modules.load(paths.flatMap((path) => this.moduleSource(path) ?? [])),
      factsOf: (path) => this.factsOf(path),
      nodeEnv,
      ownerOf: (path) => this.files.get(path)?.owner ?? '',
      isCode: (path) => isCode(path) && (!isWhole || this.files.get(path)?.isOwn === true),
      ...(!isWhole && !this.request.isStrict && { hints: { asked: this.#asked(), keepsOwn: !this.request.link } }),
    });
  }

  /** Everybody of those that are packed who asks for something, by the names that the artifact has for them. */
  #packedAsks(trace: Trace | undefined, linked: readonly LinkedPart[], kept: readonly NodeFile[]): DependencyEdges {
    if (trace === undefined) return NO_EDGES;
    const inside = new Set(linked.map(({ file }) => file.path));
    const there = new Set([...inside, ...kept.map(({ path }) => path)]);
    return renameEdges(
      condenseEdges(trace.dependencies, (path) => there.has(path)),
      (path) => (inside.has(path) ? path : this.emitted(path)),
    );
  }

  #asked(): readonly string[] {
    const { packages } = this.resolver;
    return this.request.asked ?? (packages.in('')?.dependencies ?? []).flatMap((name) => packages.find(name, '') ?? []);
  }

  factsOf(path: string): ModuleFacts | undefined {
    return this.request.modules.get(path)?.facts;
  }

  moduleSource(path: string): ModuleSource | undefined {
    const file = this.files.get(path);
    if (file === undefined) return undefined;
    return sourceOf(this.request, file, this.resolver.packages.formatOf(path));
  }

  /** Files that are packed by themselves. */
  #kept(trace: Trace | undefined, isWhole: boolean, asFiles: ReadonlySet<string> | undefined): NodeFile[] {
    const all = [...this.files.values()];
    if (isWhole) return all.filter(({ path, isOwn }) => !(isOwn && isTypesOnly(path)));
    if (asFiles !== undefined) return all.filter(({ path }) => asFiles.has(path));
    return all.filter(({ path }) => trace?.reached.has(path) === true || this.request.keptBy(path) !== undefined);
  }

  #place(file: NodeFile, trace: Trace | undefined): NodePlaced[] {
    const reason = this.reasonOf(file.path, trace);
    const module = file.isOwn ? this.request.modules.get(file.path) : undefined;
    if (module === undefined || module.facts.fault !== undefined) return [{ path: file.path, file, reason }];
    const made = rewriteModule(this, module, trace);
    const path = this.emitted(file.path);
    if (made === undefined) return [{ path, file, reason }];
    const placed = { path, file, reason, text: made.text };
    if (made.map === undefined) return [placed];
    return [placed, { path: `${path}.map`, file, text: made.map, reason: { why: 'made-for', by: path } }];
  }
}

function withOwnerNamed(unseen: UnseenImport): UnseenImport {
  return unseen.kept === '' ? { ...unseen, kept: 'the function' } : unseen;
}

function mentionsOfAll(files: readonly NodeFile[], inside: (file: NodeFile) => string): Mentions {
  let [tests, stubs, docs] = [false, false, false];
  for (const file of files) {
    if (!/\.(?:[cm]?js|json)$/.test(file.path) || isTestFile(inside(file)) || (tests && stubs && docs)) continue;
    const code = textOf(file);
    // A package.json speaks of stubs and documents for other tools; of its tests only where it exports them.
    const found = mentionsIn(code);
    const isManifest = inside(file) === 'package.json';
    tests ||= !isManifest && found.tests;
    stubs ||= !isManifest && found.stubs;
    docs ||= !isManifest && found.docs;
  }
  return { tests, stubs, docs };
}

/** A file of the function's own that cannot be read would not be loaded either. */
function refuseFaults(assembler: Assembling, trace: Trace | undefined): void {
  const problems: Problem[] = [];
  for (const [path, { how }] of trace?.reached ?? []) {
    const file = assembler.files.get(path);
    const fault = assembler.factsOf(path)?.fault;
    const counts = how === 'entry' || how === 'import' || isCompiled(path);
    if (file?.isOwn !== true || fault === undefined || !counts) continue;
    const { line, column, message, text } = fault;
    const shown = text === '' ? '' : `, in \`${printable(text.trim())}\``;
    const place = { file: assembler.request.sourceName(path), line, column };
    problems.push({ place, expected: 'code that can be parsed', found: `${message}${shown}`, mend: 'mend the line' });
  }
  if (problems.length === 0) return;
  throw new EmballageError('MODULE_INVALID', {
    doing: 'reading modules',
    found: count(problems.length, 'file that cannot be parsed', 'files that cannot be parsed'),
    mend: 'mend what is listed',
    problems,
  });
}

function missingImports(trace: Trace | undefined): MissingImport[] {
  return (trace?.missing ?? []).map(({ from, request, why, near }) => ({
    file: from,
    line: request.line,
    specifier: request.specifier,
    why,
    ...(near !== undefined && { near }),
    guard: request.guard,
  }));
}

function reasonOfReach({ how, by }: Reach): Reason {
  switch (how) {
    case 'entry':
      return { why: 'entry' };
    case 'import':
      return { why: 'imported', by };
    case 'file':
    case 'hinted':
      return { why: 'named', by };
    case 'whole':
      return { why: 'kept-whole', by };
    case 'beside':
      return { why: 'beside', by };
    case 'kept':
      return { why: 'in-source' };
    case 'asked':
      return { why: 'needed', by: ['package.json'] };
  }
}
