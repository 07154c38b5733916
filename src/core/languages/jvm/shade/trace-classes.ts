/**
 * Which classes are needed: from the entry on, whatever a needed class names as a type or by a constant text, the providers
 * of services in use, and everything of a JAR whose code looks classes up by names that cannot be seen.
 */
import { yieldNow } from '../../../base/yield';
import { EdgeBook, type DependencyEdges } from '../../../fileset/edges';
import type { Reason, UnseenImport } from '../../../fileset/model';
import type { ClassFacts } from './class-facts';

export interface TraceClassesRequest {
  /** Every class, with its JAR: '' for the function's own. The first of a name counts. */
  readonly classes: ReadonlyMap<string, { readonly facts: ClassFacts; readonly owner: string }>;
  readonly roots: readonly { readonly name: string; readonly reason: Reason }[];
  /** Providers by service, names with slashes. */
  readonly services: ReadonlyMap<string, readonly string[]>;
  /** Resources by path, with their JAR. */
  readonly resources: ReadonlyMap<string, string>;
  /** Resources that frameworks read for names of classes, whatever code there is: registries, and descriptors of the function. */
  readonly descriptors: ReadonlySet<string>;
  /** Texts in a resource that may be names of classes: settings, lists of plug-ins, generated tables. */
  readonly namesIn: (path: string) => readonly string[];
  /** The path in the artifact of what a class is packed as, for reasons. */
  readonly pathOf: (name: string) => string;
}

export interface TracedClasses {
  readonly classes: ReadonlyMap<string, Reason>;
  readonly services: ReadonlySet<string>;
  readonly unseen: readonly UnseenImport[];
  /** JARs that are kept whole. */
  readonly whole: ReadonlySet<string>;
  /** Resources that a needed class names. */
  readonly resources: ReadonlyMap<string, Reason>;
  /** Everybody who asks for each, not only the first. */
  readonly edges: DependencyEdges;
}

/** The classes that are reached from an entry, each with who reached it. */
export function traceClasses(request: TraceClassesRequest): Promise<TracedClasses> {
  return new ClassTracer(request).run();
}

class ClassTracer {
  readonly #request: TraceClassesRequest;
  readonly #reached = new Map<string, Reason>();
  readonly #resources = new Map<string, Reason>();
  readonly #services = new Set<string>();
  readonly #edges = new EdgeBook();
  readonly #unseen: UnseenImport[] = [];
  readonly #whole = new Set<string>();
  readonly #open: string[] = [];
  /** Resources that have been read for names. */
  readonly #read = new Set<string>();
  readonly #owners = new Set<string>();
  readonly #byOwner = new Map<string, string[]>();
  /** Packages outside the artifact that needed classes name: those of the JDK. */
  readonly #foreign = new Set<string>();

  constructor(request: TraceClassesRequest) {
    this.#request = request;
    for (const [name, { owner }] of request.classes) {
      const own = this.#byOwner.get(owner);
      if (own === undefined) this.#byOwner.set(owner, [name]);
      else own.push(name);
    }
  }

  async run(): Promise<TracedClasses> {
    for (const { name, reason } of this.#request.roots) this.#reach(name, reason);
    do {
      for (let name = this.#open.pop(); name !== undefined; name = this.#open.pop()) {
        this.#follow(name);
        if (this.#reached.size % 64 === 0) await yieldNow();
      }
      this.#useServices();
      this.#readResources();
    } while (this.#open.length > 0);
    return {
      classes: this.#reached,
      services: this.#services,
      unseen: this.#unseen,
      whole: this.#whole,
      resources: this.#resources,
      edges: this.#edges.edges,
    };
  }

  #reach(name: string, reason: Reason): void {
    if (!this.#request.classes.has(name)) {
      this.#foreign.add(name.slice(0, Math.max(0, name.lastIndexOf('/'))));
      this.#foreign.add(name);
      return;
    }
    if (reason.why === 'imported' || reason.why === 'named') this.#edges.ask(reason.by, this.#request.pathOf(name));
    if (this.#reached.has(name)) return;
    this.#reached.set(name, reason);
    this.#open.push(name);
  }

  /** Reaches a class as part of what is kept together. */
  #keep(together: string, name: string, reason: Reason): void {
    if (this.#request.classes.has(name)) this.#edges.keepTogether(together, this.#request.pathOf(name));
    const isKnown = this.#reached.has(name);
    if (!isKnown) this.#reach(name, reason);
  }

  #follow(name: string): void {
    const known = this.#request.classes.get(name);
    if (known === undefined) return;
    const { facts, owner } = known;
    this.#owners.add(owner);
    const by = this.#request.pathOf(name);
    for (const ref of facts.refs) this.#reach(ref, { why: 'imported', by });
    for (const text of facts.texts) this.#named(text, name, by);
    for (const service of facts.services) this.#useService(service, by);
    for (const { method, line, what } of facts.unseen)
      this.#keepWhole(by, `${name.replaceAll('/', '.')}.${method}`, line, what, owner);
  }

  /** A text that is the name of a class or of a resource. */
  #named(text: string, from: string, by: string): void {
    const plain = text.replace(/^\//, '').replace(/\.class$/, '');
    const internal = plain.includes('/') ? plain : plain.replaceAll('.', '/');
    const reason: Reason = { why: 'named', by };
    if (this.#request.classes.has(internal)) this.#reach(internal, reason);
    const folder = from.slice(0, from.lastIndexOf('/') + 1);
    for (const path of [plain, folder + plain, `${internal}.properties`]) {
      if (!this.#request.resources.has(path)) continue;
      this.#edges.ask(by, path);
      if (!this.#resources.has(path)) this.#resources.set(path, reason);
    }
  }

  #useService(service: string, by: string): void {
    const together = `service ${service}`;
    this.#services.add(service);
    if (!this.#edges.askTogether(together, by)) return;
    for (const provider of this.#request.services.get(service) ?? [])
      this.#keep(together, provider, { why: 'named', by });
  }

  /**
   * A service is in use when its own class is: as code of the artifact, or, where it is one of the JDK's, when the code
   * uses the package that it belongs to.
   */
  #useServices(): void {
    for (const service of this.#request.services.keys()) {
      if (this.#services.has(service)) continue;
      const folder = service.slice(0, Math.max(0, service.lastIndexOf('/'))).replace(/\/spi$/, '');
      const isUsed = this.#request.classes.has(service)
        ? this.#reached.has(service)
        : this.#foreign.has(folder) || this.#foreign.has(service);
      if (isUsed) this.#useService(service, `META-INF/services/${service.replaceAll('/', '.')}`);
    }
  }

  /**
   * Descriptors name classes, and so does a resource that code asks for by its name. Code that looks classes up by names that
   * cannot be seen often reads these from other files beside it.
   */
  #readResources(): void {
    for (const [path, owner] of this.#request.resources) {
      if (this.#read.has(path) || !this.#owners.has(owner)) continue;
      const isAsked = this.#request.descriptors.has(path) || this.#resources.has(path);
      if (!isAsked && this.#unseen.length === 0) continue;
      this.#read.add(path);
      for (const text of this.#request.namesIn(path)) {
        const name = text.replaceAll('.', '/');
        if (this.#request.classes.has(name)) this.#reach(name, { why: 'named', by: path });
      }
    }
  }

  #keepWhole(file: string, method: string, line: number, what: string, owner: string): void {
    this.#unseen.push({ file, line, what: `${method}: ${what}`, kept: owner });
    this.#whole.add(owner);
    const together = `all of ${owner}`;
    if (!this.#edges.askTogether(together, file, line)) return;
    const by = `${file}:${String(line)}`;
    for (const name of this.#byOwner.get(owner) ?? []) this.#keep(together, name, { why: 'kept-whole', by });
  }
}
