/** Puts packages and the function's own files together: what goes where, what is taken out, what clashes. */
import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { yieldNow } from '../../../base/yield';
import { comparePaths } from '../../../base/paths';
import { groupBy } from '../../../base/several';
import { NO_EDGES, type DependencyEdges } from '../../../fileset/edges';
import type { Overlap, Reason, StoredContent, Trimmed, UnseenImport } from '../../../fileset/model';
import type { Arch, Trim } from '../../../sheet';
import { installWheel, readEntryPoints, type InstalledFile } from '../wheel/install';
import { formatRecord } from '../wheel/record';
import { namesInCompiled } from '../trace/compiled-code';
import type { ModuleFacts } from '../trace/facts';
import { readModuleFacts } from '../trace/module-facts';
import { traceModules, type Reach, type Trace } from '../trace/tracer';
import { forOtherMachines, type SizedFile } from './other-machines';
import { isTestFile, readsItsStub, safeRuleFor, usedTests } from './trim-safe';
import type { UnpackedWheel } from '../wheel/wheel';

export interface PackageInput {
  readonly name: string;
  readonly version: string;
  readonly file: string;
  readonly by: readonly string[];
  readonly wheel: UnpackedWheel;
}

/** A file of the function itself. */
export interface OwnFile {
  readonly path: string;
  /** Absolute path of its content. */
  readonly source: string;
  readonly sha256: () => string;
  /** Kept whatever tracing says: data, and what `keep` names. */
  readonly isKept: boolean;
}

export interface AssembleRequest {
  readonly own: readonly OwnFile[];
  readonly packages: readonly PackageInput[];
  readonly trim: Trim;
  readonly arch: Arch;
  readonly isStrict: boolean;
  /** Paths at which tracing starts. */
  readonly entries: readonly string[];
  /** The `keep` pattern that wants a path. */
  readonly keptBy: (path: string) => string | undefined;
  /** A compiled file without its debugging sections, where it has any. */
  readonly strip: (file: StoredContent) => StoredContent | undefined;
  /** Facts of a module by the digest of its file, from a memory where there is one. */
  readonly factsFor: (sha256: string, read: () => string) => ModuleFacts;
}

export interface PlacedFile {
  readonly path: string;
  readonly isProgram: boolean;
  readonly content: InstalledFile['content'];
  readonly package: PackageInput;
  /** Path in the wheel, or what made it. */
  readonly at: string;
  readonly isMade: boolean;
  readonly reason: Reason;
}

export interface Assembled {
  readonly files: readonly PlacedFile[];
  /** Paths of own files that tracing does not reach. */
  readonly ownDropped: readonly string[];
  readonly ownReasons: ReadonlyMap<string, Reason>;
  readonly trimmed: readonly Trimmed[];
  readonly overlaps: readonly Overlap[];
  readonly unseen: readonly UnseenImport[];
  readonly edges: DependencyEdges;
}

interface Candidate extends InstalledFile {
  readonly package: PackageInput;
}

/** Which files of packages and of the function go in, and why. */
export async function assemblePython(request: AssembleRequest): Promise<Assembled> {
  const trimmed: Trimmed[] = [];
  const { placed, overlaps } = placeFiles(request);
  const safe = request.trim === 'off' ? placed : await trimSafely(placed, request, trimmed);
  const trace = request.trim === 'traced' ? await traceAll(safe, request) : undefined;
  const kept = trace === undefined ? safe : dropUnreached(safe, trace, request, trimmed);
  const files = [...kept.values()].map((one) => asPlaced(one, trace, request));
  const dropped = request.own.filter(({ path, isKept }) => trace !== undefined && !isKept && !trace.reached.has(path));
  return {
    files: [...files, ...records(files, request)],
    ownDropped: dropped.map(({ path }) => path),
    ownReasons: new Map(request.own.flatMap(({ path }) => ownReason(path, trace) ?? [])),
    trimmed: trimmed.sort((a, b) => comparePaths(a.path, b.path)),
    overlaps,
    unseen: trace?.unseen ?? [],
    edges: trace?.edges ?? NO_EDGES,
  };
}

/** Where two claim a path, the function's own file wins, then the package that comes first by name. */
function placeFiles(request: AssembleRequest): { placed: Map<string, Candidate>; overlaps: Overlap[] } {
  const own = new Map(request.own.map((one) => [one.path, one]));
  const placed = new Map<string, Candidate>();
  const overlaps: Overlap[] = [];
  for (const one of request.packages)
    for (const file of installWheel(one.wheel, one.file)) {
      const [mine, other] = [own.get(file.path), placed.get(file.path)];
      const candidate = { ...file, package: one };
      if (mine === undefined && other === undefined) placed.set(file.path, candidate);
      else if (
        mine !== undefined
          ? mine.sha256() !== digestOf(file)
          : other !== undefined && digestOf(other) !== digestOf(file)
      )
        overlaps.push({ path: file.path, kept: other?.package.name ?? 'the function’s own source', dropped: one.name });
    }
  return { placed, overlaps };
}

function digestOf({ content }: InstalledFile): string {
  return content.kind === 'file' ? content.sha256 : content.text;
}

async function trimSafely(
  placed: ReadonlyMap<string, Candidate>,
  request: AssembleRequest,
  trimmed: Trimmed[],
): Promise<Map<string, Candidate>> {
  const kept = new Map<string, Candidate>();
  const byPackage = new Map<PackageInput, Set<string>>();
  for (const [path, one] of placed) byPackage.set(one.package, (byPackage.get(one.package) ?? new Set()).add(path));
  for (const [owner, siblings] of byPackage) {
    const used = [...siblings].some(isTestFile) ? usedTests(siblings, (path) => textOf(placed.get(path))) : NO_TESTS;
    const others = await forOtherMachines(
      [...siblings].flatMap((path) => sizedFile(path, placed)),
      request.arch,
    );
    const isStubRead = (path: string): boolean =>
      path.endsWith('.pyi') && readsItsStub(textOf(placed.get(path.slice(0, -1))) ?? '');
    for (const path of siblings) {
      const one = placed.get(path);
      if (one === undefined) continue;
      if (path.endsWith('.so')) await yieldNow();
      const by =
        request.keptBy(path) === undefined
          ? safeRuleFor({ path, siblings, usedTests: used, isStubRead: isStubRead(path), isForOther: others.has(path) })
          : undefined;
      if (by === undefined) kept.set(path, stripped(one, request, trimmed));
      else trimmed.push({ path, size: sizeOf(one), package: owner.name, by });
    }
  }
  return kept;
}

function sizedFile(path: string, placed: ReadonlyMap<string, Candidate>): SizedFile[] {
  const content = placed.get(path)?.content;
  return content?.kind === 'file' ? [{ path, size: content.size, source: content.source }] : [];
}

/** Debugging sections are for debuggers; what is loaded stays as it is. */
function stripped(one: Candidate, request: AssembleRequest, trimmed: Trimmed[]): Candidate {
  const { content, path } = one;
  if (content.kind !== 'file' || !/\.so(?:\.[\d.]+)?$/.test(path)) return one;
  const smaller = request.strip(content);
  if (smaller === undefined) return one;
  trimmed.push({ path, size: content.size - smaller.size, package: one.package.name, by: 'debug-sections' });
  return { ...one, content: { kind: 'file', ...smaller } };
}

const NO_TESTS: ReadonlySet<string> = new Set();

function textOf(one: Candidate | undefined): string | undefined {
  return one?.content.kind === 'file' ? readFileSync(one.content.source, 'utf8') : undefined;
}

function traceAll(placed: ReadonlyMap<string, Candidate>, request: AssembleRequest): Promise<Trace> {
  const files = new Map([
    ...request.own.map(({ path }) => [path, { owner: '' }] as const),
    ...[...placed].map(([path, one]) => [path, { owner: one.package.name }] as const),
  ]);
  const own = new Map(request.own.map((one) => [one.path, one]));
  const roots = [
    ...request.entries,
    ...request.own.filter(({ isKept }) => isKept).map(({ path }) => path),
    ...[...placed.keys()].filter((path) => request.keptBy(path) !== undefined),
  ];
  const names = new Set(request.packages.map(({ name }) => name));
  return traceModules({
    files,
    roots,
    factsOf: (path) => {
      const mine = own.get(path);
      if (mine !== undefined) return request.factsFor(mine.sha256(), () => readFileSync(mine.source, 'utf8'));
      const content = placed.get(path)?.content;
      if (content?.kind === 'text') return readModuleFacts(content.text);
      if (content === undefined) return undefined;
      return request.factsFor(content.sha256, () => readFileSync(content.source, 'utf8'));
    },
    requiredBy: (owner) => request.packages.filter(({ by }) => by.includes(owner)).map(({ name }) => name),
    isExtension: (path) => {
      const source = own.get(path)?.source ?? sourceOf(placed.get(path));
      return source !== undefined && isExtensionModule(source);
    },
    namesIn: (path, tops) => {
      const source = own.get(path)?.source ?? sourceOf(placed.get(path));
      return source === undefined ? [] : namesInCompiled(readFileSync(source), tops);
    },
    entryPoints: entryPointModules(placed),
    asked: request.packages.filter(({ by }) => by.some((one) => !names.has(one))).map(({ name }) => name),
    isStrict: request.isStrict,
  });
}

function sourceOf(one: Candidate | undefined): string | undefined {
  return one?.content.kind === 'file' ? one.content.source : undefined;
}

/** An extension module exports a function of this name; other libraries do not. */
function isExtensionModule(source: string): boolean {
  return readFileSync(source).includes('PyInit_');
}

/** Modules that entry points name, by their group. */
function entryPointModules(placed: ReadonlyMap<string, Candidate>): (group: string) => readonly string[] {
  const points = [...placed]
    .filter(([path]) => path.endsWith('.dist-info/entry_points.txt'))
    .flatMap(([, { content }]) =>
      content.kind === 'file' ? readEntryPoints(readFileSync(content.source, 'utf8')) : [],
    );
  const groups = groupBy(points, ({ group }) => group);
  return (group) => (groups.get(group) ?? []).map(({ target }) => target.split(':')[0] ?? target);
}

function dropUnreached(
  placed: ReadonlyMap<string, Candidate>,
  trace: Trace,
  request: AssembleRequest,
  trimmed: Trimmed[],
): Map<string, Candidate> {
  const kept = new Map<string, Candidate>();
  for (const [path, one] of placed)
    if (trace.reached.has(path) || request.keptBy(path) !== undefined) kept.set(path, one);
    else trimmed.push({ path, size: sizeOf(one), package: one.package.name, by: 'not-reached' });
  return kept;
}

function asPlaced(one: Candidate, trace: Trace | undefined, request: AssembleRequest): PlacedFile {
  const isMade = one.content.kind === 'text';
  const pattern = request.keptBy(one.path);
  const reach = trace?.reached.get(one.path);
  const reason: Reason = isMade
    ? { why: 'made-for', by: one.madeFrom ?? '' }
    : pattern !== undefined
      ? { why: 'kept', by: pattern }
      : (reasonOf(reach) ?? { why: 'needed', by: one.package.by });
  const at = one.content.kind === 'file' ? one.from : (one.madeFrom ?? '');
  return { path: one.path, isProgram: one.isProgram, content: one.content, package: one.package, at, isMade, reason };
}

function reasonOf(reach: Reach | undefined): Reason | undefined {
  if (reach?.how === 'import') return { why: 'imported', by: reach.by };
  if (reach?.how === 'whole') return { why: 'kept-whole', by: reach.by };
  return reach?.how === 'data' && reach.by !== '' ? { why: 'beside', by: `${reach.by}/` } : undefined;
}

function ownReason(path: string, trace: Trace | undefined): [string, Reason][] | undefined {
  const reason = reasonOf(trace?.reached.get(path));
  return reason === undefined ? undefined : [[path, reason]];
}

/** RECORD lists what is there, so that asking for a package's files gives true answers. */
function records(files: readonly PlacedFile[], request: AssembleRequest): PlacedFile[] {
  return request.packages.flatMap((one) => {
    const own = files.filter((file) => file.package === one).sort((a, b) => comparePaths(a.path, b.path));
    if (!own.some(({ path }) => path.startsWith(`${one.wheel.distInfo}/`))) return [];
    const path = `${one.wheel.distInfo}/RECORD`;
    const rows = own.map(({ path: row, content }) => ({ path: row, ...measure(content) }));
    const text = formatRecord([...rows, { path }]);
    const reason: Reason = { why: 'made-for', by: 'list of the package’s files' };
    return [
      {
        path,
        isProgram: false,
        content: { kind: 'text' as const, text },
        package: one,
        at: 'RECORD',
        isMade: true,
        reason,
      },
    ];
  });
}

function measure(content: InstalledFile['content']): { sha256: string; size: number } {
  if (content.kind === 'file') return content;
  const sha256 = createHash('sha256').update(content.text).digest('hex');
  return { sha256, size: Buffer.byteLength(content.text) };
}

function sizeOf({ content }: InstalledFile): number {
  return content.kind === 'file' ? content.size : Buffer.byteLength(content.text);
}
