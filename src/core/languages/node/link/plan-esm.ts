/** What an ES module needs of the others to be written as a part of the linked file: names only, no positions in its text. */
import { EmballageError } from '../../../base/errors';
import { printable } from '../../../base/text';
import { missingExportMend } from '../view/module-exports';
import type { EsmFacts } from '../trace/facts';
import type { Link, LinkModule, Origin, Shaker } from './shake';

export interface PlanContext {
  readonly shaker: Shaker;
  /** Modules that are part of a circle of imports. */
  readonly circular: ReadonlySet<string>;
  /** What stands for a module in the file. */
  readonly idOf: (path: string) => string;
}

/** What a module uses of another, under which local name, and how it is read. */
export interface Binding {
  readonly local: string;
  /** Key of the table of links. */
  readonly key: string;
  /** Undefined for the namespace itself. */
  readonly name?: string;
  /** Read anew wherever it is used, since it may change, or is not there yet. */
  readonly isLive: boolean;
}

/** How an export is read: a name of the module itself, or one of another's (the namespace where there is no name). */
export type Read = { readonly local: string } | { readonly key: string; readonly name?: string };

type Links = readonly (readonly [key: string, id: string])[];

export interface EsmPlan {
  readonly kind: 'esm';
  readonly id: string;
  readonly path: string;
  /** What runs before the module, by key, in order. */
  readonly imports: Links;
  /** What it may ask for when it runs. */
  readonly links: Links;
  readonly bindings: readonly Binding[];
  readonly getters: readonly (readonly [name: string, read: Read])[];
  /** `export *` of what is loaded by Node.js itself: which names that has is found out when it runs. */
  readonly stars: readonly string[];
  /** Whether it has dynamic requests: then it has to know where it lies. */
  readonly hasDynamics: boolean;
  /** Indices of its statements that are needed, ascending. */
  readonly live: readonly number[];
}

/** @throws EmballageError MODULE_INVALID when it imports what another does not export */
export function planEsModule(module: LinkModule, esm: EsmFacts, context: PlanContext): EsmPlan {
  return new EsmPlanner(module, esm, context).plan();
}

class EsmPlanner {
  readonly #module: LinkModule;
  readonly #esm: EsmFacts;
  readonly #context: PlanContext;
  readonly #imports = new Map<string, string>();
  readonly #links = new Map<string, string>();

  constructor(module: LinkModule, esm: EsmFacts, context: PlanContext) {
    this.#module = module;
    this.#esm = esm;
    this.#context = context;
  }

  plan(): EsmPlan {
    const { shaker, idOf } = this.#context;
    const { path, dynamics } = this.#module;
    const live = shaker.live.get(path) ?? new Set<number>();
    this.#noteImports();
    const bindings = this.#bindings(live);
    const used = shaker.used.get(path) ?? new Set<string>();
    const getters = this.#getters(used);
    return {
      kind: 'esm',
      id: idOf(path),
      path,
      imports: [...this.#imports],
      links: [...this.#links],
      bindings,
      getters,
      stars: used.has('*') ? this.#foreignStars() : [],
      hasDynamics: dynamics.length > 0,
      live: [...live].sort((a, b) => a - b),
    };
  }

  /** Those of its imports that run at all, in the order in which it states them. */
  #noteImports(): void {
    for (const specifier of this.#module.statics) {
      const link = this.#module.links.get(specifier);
      if (link !== undefined && this.#isThere(link)) this.#imports.set(specifier, this.#idOfLink(link));
    }
    for (const specifier of this.#module.dynamics) {
      const link = this.#module.links.get(specifier);
      if (link !== undefined && this.#isThere(link)) this.#links.set(specifier, this.#idOfLink(link));
    }
  }

  #isThere(link: Link): boolean {
    return link.kind === 'host' || this.#context.shaker.live.has(link.path);
  }

  #idOfLink(link: Link): string {
    return link.kind === 'host' ? link.id : this.#context.idOf(link.path);
  }

  #bindings(live: ReadonlySet<number>): Binding[] {
    const used = new Set([...live].flatMap((i) => this.#esm.statements[i]?.uses.map((use) => use.split('.')[0]) ?? []));
    return this.#esm.imports.flatMap(({ local, specifier, imported }) => {
      if (!used.has(local)) return [];
      const link = this.#module.links.get(specifier);
      if (link === undefined) return [];
      if (imported === '*') return [{ local, key: this.#keyFor(link, specifier), isLive: false }];
      return [this.#bind(local, specifier, imported, link)];
    });
  }

  #bind(local: string, specifier: string, imported: string, link: Link): Binding {
    const { shaker, circular } = this.#context;
    const isCircular = circular.has(this.#module.path);
    const origin: Origin =
      link.kind === 'host' ? { kind: 'foreign', link, name: imported } : shaker.originOf(link.path, imported);
    switch (origin.kind) {
      case 'none':
        throw this.#noSuchExport(specifier, imported, link);
      case 'space':
        return { local, key: this.#keyFor(origin.link, specifier), isLive: false };
      case 'foreign':
        this.#refuseUnseen(origin.link, specifier, origin.name);
        return {
          local,
          key: this.#keyFor(origin.link, specifier),
          name: origin.name,
          isLive: isCircular || (origin.link.kind === 'host' && origin.link.isEsm),
        };
      case 'local': {
        const { module } = origin;
        const name = shaker.exportedAs(module, origin.local) ?? imported;
        const isLive = isCircular || (module.facts.esm?.assigned.includes(origin.local) ?? false);
        return { local, key: this.#keyFor({ kind: 'module', path: module.path }, specifier), name, isLive };
      }
    }
  }

  /** The specifier where it leads there; otherwise, past modules that only pass things on, the module’s own id. */
  #keyFor(link: Link, specifier: string): string {
    const id = this.#idOfLink(link);
    if (this.#imports.get(specifier) === id) return specifier;
    for (const [key, value] of this.#imports) if (value === id) return key;
    this.#imports.set(id, id);
    return id;
  }

  /** Node.js refuses a name of a CommonJS module that reading it does not show. */
  #refuseUnseen(link: Link, specifier: string, name: string): void {
    if (link.kind === 'host' || name === 'default' || this.#context.shaker.commonJsNames(link.path).includes(name))
      return;
    throw this.#noSuchExport(specifier, name, link);
  }

  #noSuchExport(specifier: string, name: string, link: Link): EmballageError {
    const names = link.kind === 'module' ? this.#context.shaker.namesOf(link.path) : [];
    const isCommonJs = link.kind === 'module' && names.includes('default');
    return new EmballageError('MODULE_INVALID', {
      doing: 'linking modules',
      where: printable(this.#module.path),
      expected: `an export \`${printable(name)}\` of \`${printable(specifier)}\``,
      found: 'none of that name, so that Node.js would refuse to load it',
      mend: missingExportMend(name, names, isCommonJs),
    });
  }

  #getters(used: ReadonlySet<string>): [string, Read][] {
    const { shaker } = this.#context;
    const names = used.has('*') ? shaker.namesOf(this.#module.path) : [...used].sort();
    return names.flatMap((name): [string, Read][] => {
      const read = this.#readOf(shaker.originOf(this.#module.path, name));
      return read === undefined ? [] : [[name, read]];
    });
  }

  #readOf(origin: Origin): Read | undefined {
    if (origin.kind === 'none') return undefined;
    if (origin.kind === 'local' && origin.module === this.#module) return { local: origin.local };
    const { shaker } = this.#context;
    if (origin.kind === 'local') {
      const { module, local } = origin;
      const name = shaker.exportedAs(module, local) ?? local;
      if (!shaker.live.has(module.path)) return undefined;
      return { key: this.#keyFor({ kind: 'module', path: module.path }, ''), name };
    }
    if (!this.#isThere(origin.link)) return undefined;
    const key = this.#keyFor(origin.link, '');
    return origin.kind === 'space' ? { key } : { key, name: origin.name };
  }

  #foreignStars(): string[] {
    return this.#esm.stars.filter((specifier) => this.#module.links.get(specifier)?.kind === 'host');
  }
}
