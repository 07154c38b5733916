/** Which assemblies the entry reaches: by references, by names that stand in code; and where nobody can see. */
import { baseOf } from '../../../base/paths';
import type { Reason, UnseenImport } from '../../../fileset/model';
import type { Assembly, ForeignCall } from '../../../formats/assembly';
import { SATELLITE, type Assemblies } from '../published/assemblies';

export interface TraceRequest {
  readonly assemblies: Assemblies;
  /** Path of the assembly that is called. */
  readonly entry: string;
  /** The package that a file is of; '' for the function's own. */
  readonly ownerOf: (path: string) => string;
  readonly keptBy: (path: string) => string | undefined;
  /** Whether a package is kept whole whatever happens: the framework itself. */
  readonly isWhole: (owner: string) => boolean;
}

export interface Traced {
  /** Assemblies and texts of theirs that stay, each with the reason. */
  readonly reached: ReadonlyMap<string, Reason>;
  readonly unseen: readonly UnseenImport[];
}

/** Methods that load by a name. */
const LOADS: Readonly<Record<string, RegExp>> = {
  'System.Reflection.Assembly': /^(?:Load|LoadFrom|LoadFile|LoadWithPartialName|UnsafeLoadFrom)$/,
  'System.Runtime.Loader.AssemblyLoadContext': /^LoadFrom/,
  'System.Type': /^GetType$/,
  'System.Activator': /^CreateInstanceFrom$/,
};

/** Which assemblies are reached from the entry, and who asks for each. */
export function traceAssemblies(request: TraceRequest): Traced {
  return new Tracer(request).trace();
}

class Tracer {
  readonly #request: TraceRequest;
  readonly #reached = new Map<string, Reason>();
  readonly #unseen: UnseenImport[] = [];
  readonly #open: string[] = [];

  constructor(request: TraceRequest) {
    this.#request = request;
  }

  trace(): Traced {
    const { assemblies, entry, keptBy, ownerOf, isWhole } = this.#request;
    const places = namedPlaces(assemblies);
    this.#reach(entry, { why: 'entry' });
    for (const path of assemblies.all.keys()) {
      const pattern = keptBy(path);
      if (pattern !== undefined) this.#reach(path, { why: 'kept', by: pattern });
      else if (isWhole(ownerOf(path))) this.#reach(path, { why: 'needed', by: [ownerOf(path)] });
    }
    for (let path = this.#open.shift(); path !== undefined; path = this.#open.shift()) {
      const assembly = assemblies.all.get(path);
      if (assembly !== undefined) this.#follow(path, assembly, places);
    }
    for (const path of assemblies.all.keys()) {
      const main = SATELLITE.test(path) ? mainOf(path, this.#reached) : undefined;
      if (main !== undefined) this.#reached.set(path, { why: 'beside', by: main });
    }
    return { reached: this.#reached, unseen: this.#unseen };
  }

  #reach(path: string, reason: Reason): void {
    if (this.#reached.has(path) || !this.#request.assemblies.all.has(path)) return;
    this.#reached.set(path, reason);
    this.#open.push(path);
  }

  #follow(path: string, assembly: Assembly, places: ReadonlyMap<string, string>): void {
    const { assemblies, ownerOf, isWhole } = this.#request;
    const named = assembly.references.flatMap(({ name }) => assemblies.byName.get(name.toLowerCase()) ?? []);
    for (const found of named) this.#reach(found.path, { why: 'imported', by: path });
    for (const found of namesIn(assembly, places)) this.#reach(found, { why: 'named', by: path });
    const owner = ownerOf(path);
    // The framework looks for what is there, and does without what is not.
    if (isWhole(owner)) return;
    for (const call of unseenLoads(assembly)) {
      for (const other of assemblies.all.keys())
        if (owner === '' || ownerOf(other) === owner) this.#reach(other, { why: 'kept-whole', by: path });
      this.#unseen.push({ file: path, line: 0, what: call, kept: owner === '' ? 'all assemblies' : owner });
    }
  }
}

/** The assembly whose texts they are. */
function mainOf(path: string, reached: ReadonlyMap<string, Reason>): string | undefined {
  const name = baseOf(path).replace(/\.resources\.dll$/i, '.dll');
  return [...reached.keys()].find((one) => baseOf(one) === name);
}

/** Paths by names of assemblies and of their public types, in small letters. */
function namedPlaces({ all, byName }: Assemblies): ReadonlyMap<string, string> {
  const places = new Map<string, string>();
  for (const [path, assembly] of all)
    for (const { name, isPublic } of assembly.types())
      if (isPublic && name.includes('.')) places.set(name.toLowerCase(), path);
  for (const [name, [first]] of byName) if (first !== undefined) places.set(name, first.path);
  return places;
}

const MOST_NAME = 500;

function namesIn(assembly: Assembly, places: ReadonlyMap<string, string>): Set<string> {
  const found = new Set<string>();
  for (const text of assembly.texts()) {
    if (text.length > MOST_NAME || (!text.includes('.') && !places.has(text.toLowerCase()))) continue;
    // `Type, Assembly, Version=…`, and names of files.
    for (const part of text.split(',').slice(0, 2)) {
      const path = places.get(
        part
          .trim()
          .replace(/\.dll$/i, '')
          .toLowerCase(),
      );
      if (path !== undefined) found.add(path);
    }
  }
  return found;
}

function unseenLoads(assembly: Assembly): string[] {
  const loads = ({ type, member, text }: ForeignCall): boolean =>
    text === undefined && LOADS[type]?.test(member) === true;
  const short = ({ type, member }: ForeignCall): string => `${type.slice(type.lastIndexOf('.') + 1)}.${member}(…)`;
  return [...new Set(assembly.calls().filter(loads).map(short))];
}
