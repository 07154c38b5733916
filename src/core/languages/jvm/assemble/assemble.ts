/** From prepared JARs to what goes into the artifact: merged, and traced where the sheet asks for it. */
import { comparePaths, folderOf } from '../../../base/paths';
import { NO_EDGES, type DependencyEdges } from '../../../fileset/edges';
import type { Overlap, Reason, Trimmed, UnseenImport } from '../../../fileset/model';
import type { ClassFacts } from '../shade/class-facts';
import { kindOf, withoutRelease } from '../shade/jar-entries';
import { registryOf } from '../shade/registries';
import {
  mergeJars,
  providersIn,
  type JoinedEntry,
  type Merged,
  type MergedEntry,
  type MergeInput,
} from '../shade/merge';
import { traceClasses, type TracedClasses } from '../shade/trace-classes';

export interface JvmInput extends MergeInput {
  readonly facts: () => readonly ClassFacts[];
  /** Who asks for it. */
  readonly by: readonly string[];
}

export interface JvmAssembleRequest {
  /** In the order of the class path; the function's own first. */
  readonly inputs: readonly JvmInput[];
  /** Classes at which tracing starts, names with slashes: the entry, the main class. */
  readonly roots: readonly string[];
  /** Classes that annotation processors made, which code finds by names that it puts together. */
  readonly made: readonly string[];
  readonly trim: 'off' | 'safe' | 'traced';
  readonly arch: 'x86_64' | 'arm64';
  readonly append: readonly string[];
  readonly keptBy: (path: string) => string | undefined;
}

export interface JvmEntry extends MergedEntry {
  readonly reason: Reason;
}

export interface JvmAssembled {
  readonly entries: readonly JvmEntry[];
  readonly joined: readonly JoinedEntry[];
  readonly overlaps: readonly Overlap[];
  readonly trimmed: readonly Trimmed[];
  readonly unseen: readonly UnseenImport[];
  readonly edges: DependencyEdges;
  readonly isMultiRelease: boolean;
  /** JARs that are kept whole; everything without tracing. */
  readonly whole: ReadonlySet<string> | undefined;
}

/** Everything that goes into the JAR of a function. */
export async function assembleJvm(request: JvmAssembleRequest): Promise<JvmAssembled> {
  const merged = mergeJars(request);
  const traced = request.trim === 'traced' ? await trace(request, merged) : undefined;
  const keeps = traced === undefined ? undefined : keeper(request, merged, traced);
  const byOf = new Map(request.inputs.map((input) => [input.owner, input.by]));
  const kept = merged.entries.filter((one) => keeps?.(one) !== false);
  const gone = merged.entries.filter((one) => keeps?.(one) === false);
  return {
    entries: kept.map((one) => ({ ...one, reason: reasonOf(one, request, traced, byOf.get(one.input.owner) ?? []) })),
    joined: merged.joined.filter(({ path }) => traced === undefined || isServiceUsed(path, traced)),
    overlaps: merged.overlaps,
    trimmed: [
      ...merged.trimmed,
      ...gone.map(({ path, input, entry }) => ({ path, size: entry.size, package: input.owner, by: 'not-reached' })),
    ].sort((a, b) => comparePaths(a.path, b.path)),
    unseen: traced?.unseen ?? [],
    edges: traced?.edges ?? NO_EDGES,
    whole: traced?.whole,
    isMultiRelease: kept.some(({ path }) => withoutRelease(path).release > 0),
  };
}

/** Name of the class in a file: `fernhaven.Berths` of `fernhaven/Berths.class`. */
export function classNameOf(path: string): string {
  return withoutRelease(path).path.slice(0, -'.class'.length);
}

function trace(request: JvmAssembleRequest, merged: Merged): Promise<TracedClasses> {
  const classes = new Map<string, { facts: ClassFacts; owner: string }>();
  const owners = new Map(merged.entries.map(({ path, input }) => [path, input.owner]));
  for (const input of request.inputs)
    for (const facts of input.facts()) {
      // What another JAR on the class path hides is not there.
      if (owners.get(`${facts.name}.class`) !== input.owner) continue;
      const known = classes.get(facts.name);
      classes.set(facts.name, { facts: known === undefined ? facts : both(known.facts, facts), owner: input.owner });
    }
  const entry: Reason = { why: 'entry' };
  const roots: { name: string; reason: Reason }[] = request.roots.map((name) => ({ name, reason: entry }));
  const made: Reason = { why: 'made-for', by: 'annotation processors' };
  roots.push(...request.made.map((name) => ({ name, reason: made })));
  for (const name of classes.keys()) {
    const pattern = request.keptBy(`${name}.class`);
    if (pattern !== undefined) roots.push({ name, reason: { why: 'kept', by: pattern } });
  }
  const resources = resourcesOf(merged);
  return traceClasses({
    classes,
    roots,
    services: servicesOf(merged),
    resources,
    descriptors: new Set([...resources].flatMap(([path, owner]) => (isDescriptor(path, owner) ? [path] : []))),
    namesIn: (path) => namesIn(merged, path),
    pathOf: (name) => `${name}.class`,
  });
}

/** Resources by path, with their JAR; the first, where one was put together from several. */
function resourcesOf({ entries, joined }: Merged): Map<string, string> {
  const all = [
    ...entries.map(({ path, input }) => ({ path, owner: input.owner })),
    ...joined.map(({ path, owners: [owner = ''] }) => ({ path, owner })),
  ];
  return new Map(all.flatMap(({ path, owner }) => (kindOf(path) === 'resource' ? [[path, owner] as const] : [])));
}

/** What the function itself brings is there to be read; so are the registries of frameworks. Those for compilers are not. */
function isDescriptor(path: string, owner: string): boolean {
  if (path.startsWith('META-INF/native-image/')) return false;
  return owner === '' || registryOf(path) !== undefined;
}

/** A class that a JAR has for several Java versions. */
function both(a: ClassFacts, b: ClassFacts): ClassFacts {
  const join = (one: readonly string[], other: readonly string[]): string[] => [...new Set([...one, ...other])].sort();
  return {
    ...a,
    refs: join(a.refs, b.refs),
    texts: join(a.texts, b.texts),
    services: join(a.services, b.services),
    unseen: [...a.unseen, ...b.unseen],
  };
}

/** Larger files are data. */
const MAX_NAMING_BYTES = 1024 * 1024;

function namesIn({ entries, joined }: Merged, path: string): readonly string[] {
  const found = entriesByPath(entries).get(path);
  const content = joined.find((one) => one.path === path)?.content;
  if ((found?.entry.size ?? content?.length ?? Infinity) > MAX_NAMING_BYTES) return [];
  const text = (content ?? found?.input.read(found.entry) ?? Buffer.of()).toString('latin1');
  const words = [...new Set(text.match(/[A-Za-z_$][\w$]*(?:[./][A-Za-z_$][\w$]*)+/g))];
  // In binary files the length of a text stands before it, and may look like a letter.
  return words.flatMap((word) => [word, word.slice(1)]);
}

const byPath = new WeakMap<readonly MergedEntry[], ReadonlyMap<string, MergedEntry>>();

function entriesByPath(entries: readonly MergedEntry[]): ReadonlyMap<string, MergedEntry> {
  const known = byPath.get(entries) ?? new Map(entries.map((one) => [one.path, one]));
  byPath.set(entries, known);
  return known;
}

const SERVICES = 'META-INF/services/';

function servicesOf({ entries, joined }: Merged): Map<string, string[]> {
  const found = new Map<string, string[]>();
  const put = (path: string, text: string): void => {
    const providers = providersIn(text).map((name) => name.replaceAll('.', '/'));
    found.set(path.slice(SERVICES.length).replaceAll('.', '/'), providers);
  };
  for (const { path, input, entry } of entries)
    if (kindOf(path) === 'service') put(path, input.read(entry).toString('utf8'));
  for (const { path, content } of joined) if (kindOf(path) === 'service') put(path, content.toString('utf8'));
  return found;
}

function isServiceUsed(path: string, traced: TracedClasses): boolean {
  return kindOf(path) !== 'service' || traced.services.has(path.slice(SERVICES.length).replaceAll('.', '/'));
}

/**
 * Resources stay where their package does, or where somebody names them. What lies in no package, or below one, goes by the
 * nearest package above it: native libraries and data often do.
 */
function keeper(request: JvmAssembleRequest, merged: Merged, traced: TracedClasses): (one: MergedEntry) => boolean {
  const packages = new Set<string>();
  const kept = new Set<string>();
  const owners = new Set<string>();
  const withClasses = new Set<string>();
  for (const { path, input } of merged.entries) {
    if (kindOf(path) !== 'class') continue;
    withClasses.add(input.owner);
    const place = `${input.owner}\0${folderIn(path)}`;
    packages.add(place);
    if (!traced.classes.has(classNameOf(path))) continue;
    owners.add(input.owner);
    kept.add(place);
  }
  const isBesideKept = (path: string, owner: string): boolean => {
    for (let folder = folderIn(path); folder !== ''; folder = folderOf(folder))
      if (packages.has(`${owner}\0${folder}`)) return kept.has(`${owner}\0${folder}`);
    return owners.has(owner);
  };
  return ({ path, input }) => {
    const kind = kindOf(path);
    if (request.keptBy(path) !== undefined) return true;
    if (kind === 'class') return traced.classes.has(classNameOf(path));
    if (kind === 'service') return isServiceUsed(path, traced);
    if (input.owner === '' || traced.whole.has(input.owner) || traced.resources.has(path)) return true;
    // A JAR without any class is libraries or data for another: it was asked for.
    if (!withClasses.has(input.owner)) return true;
    return owners.has(input.owner) && isBesideKept(path, input.owner);
  };
}

function folderIn(path: string): string {
  return folderOf(withoutRelease(path).path);
}

function reasonOf(
  { path, input }: MergedEntry,
  { roots, keptBy }: JvmAssembleRequest,
  traced: TracedClasses | undefined,
  by: readonly string[],
): Reason {
  const isClass = kindOf(path) === 'class';
  if (isClass && roots[0] === classNameOf(path)) return { why: 'entry' };
  const reached = isClass ? traced?.classes.get(classNameOf(path)) : traced?.resources.get(path);
  if (reached !== undefined) return reached;
  const pattern = keptBy(path);
  if (pattern !== undefined) return { why: 'kept', by: pattern };
  return input.owner === '' ? { why: 'in-source' } : { why: 'needed', by };
}
