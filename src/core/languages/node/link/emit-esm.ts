/** Writes an ES module as a part of the linked file: what it declares before it runs, what it imports, and its text. */
import { EmballageError } from '../../../base/errors';
import { nearestWord, printable } from '../../../base/text';
import { DEFAULT_LOCAL, type EsmFacts } from '../trace/facts';
import type { Edit, Output, SourceText } from './output';
import type { Link, LinkModule, Origin, Shaker } from './shake';

export interface EmitContext {
  readonly shaker: Shaker;
  /** Modules that are part of a circle of imports. */
  readonly circular: ReadonlySet<string>;
  /** What stands for a module in the file. */
  readonly idOf: (path: string) => string;
}

/** What a module uses of another, under which local name, and how it is read. */
interface Binding {
  readonly local: string;
  /** Key of the table of links. */
  readonly key: string;
  /** Undefined for the namespace itself. */
  readonly name: string | undefined;
  /** Read anew wherever it is used, since it may change, or is not there yet. */
  readonly isLive: boolean;
}

/** How a module waits, in the words of the prelude. */
const YIELDS = 1;
const ASYNC = 2;

export class EsmEmitter {
  readonly #module: LinkModule;
  readonly #esm: EsmFacts;
  readonly #context: EmitContext;
  readonly #source: SourceText;
  readonly #handle: string;
  readonly #defaultName: string;
  /** What runs before the module, by key, in order. */
  readonly #imports = new Map<string, string>();
  readonly #links = new Map<string, string>();

  constructor(module: LinkModule, esm: EsmFacts, source: SourceText, context: EmitContext) {
    this.#module = module;
    this.#esm = esm;
    this.#source = source;
    this.#context = context;
    this.#handle = freeName('link', source.text);
    this.#defaultName = freeName(DEFAULT_LOCAL, source.text);
  }

  emit(out: Output): void {
    const { shaker, idOf } = this.#context;
    const live = shaker.live.get(this.#module.path) ?? new Set<number>();
    this.#noteImports();
    const bindings = this.#bindings(live);
    const getters = this.#getters();
    const spaces = new Map<string, string>();
    for (const { key, isLive } of bindings)
      if (isLive && !spaces.has(key)) spaces.set(key, freeName(`${nameFor(key)}_`, this.#source.text, spaces));
    const wait = this.#waits();
    const path = this.#usesPlace() ? this.#module.path : '';
    out.raw(
      `esm(${quoted(idOf(this.#module.path))}, ${quoted(path)}, ${table(this.#imports)}, ${table(this.#links)}, ${String(wait)}, ${wait === ASYNC ? 'async ' : ''}function* (${this.#handle}) {\n'use strict';\n`,
    );
    for (const line of [...getters, ...this.#earlyLines(bindings, spaces)]) out.raw(`${line}\n`);
    out.raw('yield;\n');
    for (const line of this.#importLines(bindings)) out.raw(`${line}\n`);
    this.#body(out, live, this.#edits(bindings, spaces));
    out.raw('});\n');
  }

  /** A pattern, or a place of its own, makes a module need to know where it lies. */
  #usesPlace(): boolean {
    return this.#esm.metas.length > 0 || this.#esm.dynamicImports.length > 0 || this.#module.dynamics.length > 0;
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
      if (imported === '*') return [{ local, key: this.#keyFor(link, specifier), name: undefined, isLive: false }];
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
        return { local, key: this.#keyFor(origin.link, specifier), name: undefined, isLive: false };
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
    const near = nearestWord(name, names);
    const isCommonJs = link.kind === 'module' && names.includes('default') && near === undefined;
    return new EmballageError('MODULE_INVALID', {
      doing: 'linking modules',
      where: printable(this.#module.path),
      expected: `an export \`${printable(name)}\` of \`${printable(specifier)}\``,
      found: 'none of that name, so that Node.js would refuse to load it',
      mend:
        near !== undefined
          ? `did you mean \`${printable(near)}\`?`
          : isCommonJs
            ? 'import its default and take the name from that'
            : 'correct the name, or export it',
    });
  }

  #getters(): string[] {
    const { shaker } = this.#context;
    const used = shaker.used.get(this.#module.path) ?? new Set<string>();
    const names = used.has('*') ? shaker.namesOf(this.#module.path) : [...used].sort();
    const lines = names.flatMap((name) => {
      const origin = shaker.originOf(this.#module.path, name);
      const read = this.#readOf(origin);
      return read === undefined ? [] : [`  ${propertyName(name)}: () => ${read},`];
    });
    const all = used.has('*') ? this.#foreignStars() : [];
    if (lines.length === 0) return all;
    return [`${this.#handle}.exports({`, ...lines, '});', ...all];
  }

  #readOf(origin: Origin): string | undefined {
    if (origin.kind === 'none') return undefined;
    if (origin.kind === 'local' && origin.module === this.#module) return this.#localName(origin.local);
    const { shaker } = this.#context;
    if (origin.kind === 'local') {
      const { module, local } = origin;
      const name = shaker.exportedAs(module, local) ?? local;
      if (!shaker.live.has(module.path)) return undefined;
      return `${this.#handle}.get(${quoted(this.#keyFor({ kind: 'module', path: module.path }, ''))})${access(name)}`;
    }
    if (!this.#isThere(origin.link)) return undefined;
    const space = `${this.#handle}.get(${quoted(this.#keyFor(origin.link, ''))})`;
    return origin.kind === 'space' ? space : space + access(origin.name);
  }

  /** `export *` of what is loaded by Node.js itself: which names that has is found out when it runs. */
  #foreignStars(): string[] {
    return this.#esm.stars
      .filter((specifier) => this.#module.links.get(specifier)?.kind === 'host')
      .map((specifier) => `${this.#handle}.all(${quoted(specifier)});`);
  }

  #localName(local: string): string {
    return local === DEFAULT_LOCAL ? this.#defaultName : local;
  }

  /** Namespaces that functions may use before the module itself runs. */
  #earlyLines(bindings: readonly Binding[], spaces: ReadonlyMap<string, string>): string[] {
    return [
      ...[...spaces].map(([key, name]) => `const ${name} = ${this.#handle}.get(${quoted(key)});`),
      ...bindings
        .filter(({ name, key }) => name === undefined && !this.#isHostFile(key))
        .map(({ local, key }) => `const ${local} = ${this.#handle}.get(${quoted(key)});`),
    ];
  }

  #isHostFile(key: string): boolean {
    return this.#imports.get(key)?.startsWith('/') === true;
  }

  #importLines(bindings: readonly Binding[]): string[] {
    const byKey = new Map<string, string[]>();
    const lines: string[] = [];
    for (const { local, key, name, isLive } of bindings) {
      if (isLive) continue;
      if (name === undefined) {
        if (this.#isHostFile(key)) lines.push(`const ${local} = ${this.#handle}.get(${quoted(key)});`);
        continue;
      }
      const part = name === local ? local : `${propertyName(name)}: ${local}`;
      byKey.set(key, [...(byKey.get(key) ?? []), part]);
    }
    return [
      ...lines,
      ...[...byKey].map(([key, parts]) => `const { ${parts.join(', ')} } = ${this.#handle}.get(${quoted(key)});`),
    ];
  }

  #edits(bindings: readonly Binding[], spaces: ReadonlyMap<string, string>): Edit[] {
    const edits: Edit[] = [];
    const uses = new Map(this.#esm.uses);
    for (const { local, key, name, isLive } of bindings) {
      if (!isLive || name === undefined) continue;
      const read = `${spaces.get(key) ?? ''}${access(name)}`;
      for (const [start, how] of uses.get(local) ?? []) {
        const text = how === 'call' ? `(0, ${read})` : how === 'shorthand' ? `${local}: ${read}` : read;
        edits.push({ start, end: start + local.length, text });
      }
    }
    for (const start of this.#esm.metas)
      edits.push({ start, end: start + 'import.meta'.length, text: `${this.#handle}.meta` });
    if (this.#waits() === YIELDS)
      for (const [start, argument, end] of this.#esm.awaits)
        edits.push({ start, end: argument, text: '(yield ' }, { start: end, end, text: ')' });
    for (const start of this.#esm.dynamicImports)
      edits.push({ start, end: start + 'import'.length, text: `${this.#handle}.import` });
    // What is inserted at one place goes inside out: the inner end before the outer.
    return edits
      .map((edit, i) => ({ edit, i }))
      .sort((a, b) => a.edit.start - b.edit.start || rank(a.edit) - rank(b.edit) || a.i - b.i)
      .map(({ edit }) => edit);
  }

  /** `await` becomes `yield`, which lets the module begin at once, as it has to; loops need the other kind. */
  #waits(): number {
    if (!this.#esm.hasTopAwait) return 0;
    return this.#esm.awaitsOtherwise ? ASYNC : YIELDS;
  }

  /** The live statements, each with what stands before it. */
  #body(out: Output, live: ReadonlySet<number>, edits: readonly Edit[]): void {
    const { statements } = this.#esm;
    let before = this.#source.text.startsWith('#!') ? this.#source.text.indexOf('\n') + 1 : 0;
    let nextEdit = 0;
    const last = Math.max(-1, ...live);
    for (const [i, { start, end }] of statements.entries()) {
      while ((edits[nextEdit]?.start ?? Infinity) < start) nextEdit += 1;
      const from = nextEdit;
      while ((edits[nextEdit]?.start ?? Infinity) < end) nextEdit += 1;
      if (live.has(i)) {
        const all = [...this.#exportEdits(i), ...edits.slice(from, nextEdit)].sort((a, b) => a.start - b.start);
        out.copy(this.#source, leading(this.#source.text, before, start), end, all);
        out.raw(this.#isClosed(end, live.has(i + 1) || i === last) ? '\n' : ';\n');
      }
      before = end;
    }
  }

  /** Where what followed has gone, a statement that line ends used to close needs a semicolon. */
  #isClosed(end: number, isFollowed: boolean): boolean {
    const last = this.#source.text[end - 1];
    return last === ';' || (isFollowed && last === '}');
  }

  /** `export` goes; a default export gets a name. */
  #exportEdits(index: number): Edit[] {
    const statement = this.#esm.statements[index];
    if (statement?.inner === undefined) return [];
    const { start, inner, kind, nameAt, declares } = statement;
    if (kind === 'export' || !declares.includes(DEFAULT_LOCAL)) return [{ start, end: inner, text: '' }];
    if (nameAt === undefined) return [{ start, end: inner, text: `const ${this.#defaultName} = ` }];
    return [
      { start, end: inner, text: '' },
      { start: nameAt, end: nameAt, text: ` ${this.#defaultName}` },
    ];
  }
}

/** What ends at a place comes before what begins there. */
function rank({ start, end, text }: Edit): number {
  return start === end && text === ')' ? 0 : 1;
}

/** Blank lines at the beginning and the rest of the line of the statement before are left out. */
function leading(text: string, from: number, to: number): number {
  const gap = text.slice(from, to);
  return to - (from === 0 ? gap : gap.replace(/^[ \t]*(?:\/\/[^\n]*)?\n/, '')).trimStart().length;
}

/** A name that does not occur in a text, as near as possible to the wanted one. */
export function freeName(wanted: string, text: string, taken: ReadonlyMap<string, string> = new Map()): string {
  const isTaken = (name: string): boolean => text.includes(name) || [...taken.values()].includes(name);
  if (wanted === DEFAULT_LOCAL && !isTaken(wanted)) return wanted;
  for (let i = 1; ; i++) {
    const name = i === 1 ? wanted : `${wanted}${String(i)}`;
    if (!isTaken(name)) return name;
  }
}

/** `./lib/a-b.mjs` gives `a_b`. */
function nameFor(key: string): string {
  const base = key
    .replace(/\/$/, '')
    .replace(/^.*[/:]/, '')
    .replace(/\.\w+$/, '');
  return `$${base.replace(/[^\w$]+/g, '_')}`;
}

export function table(links: ReadonlyMap<string, string>): string {
  if (links.size === 0) return '{}';
  return `{ ${[...links].map(([key, id]) => `${propertyName(key)}: ${quoted(id)}`).join(', ')} }`;
}

export function quoted(text: string): string {
  return `'${text.replace(/[\\']/g, '\\$&').replaceAll('\n', '\\n').replaceAll('\r', '\\r').replaceAll('\u2028', '\\u2028').replaceAll('\u2029', '\\u2029')}'`;
}

function propertyName(name: string): string {
  return /^[A-Za-z_$][\w$]*$/.test(name) && name !== '__proto__'
    ? name
    : name === '__proto__'
      ? `['__proto__']`
      : quoted(name);
}

function access(name: string): string {
  return /^[A-Za-z_$][\w$]*$/.test(name) ? `.${name}` : `[${quoted(name)}]`;
}
