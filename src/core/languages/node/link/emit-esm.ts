/** Writes an ES module as a part of the linked file: what it declares before it runs, what it imports, and its text. */
import { DEFAULT_LOCAL, type EsmFacts } from '../trace/facts';
import type { Edit, Output, SourceText } from './output';
import type { Binding, EsmPlan, Read } from './plan-esm';

/** How a module waits, in the words of the prelude. */
const YIELDS = 1;
const ASYNC = 2;

export class EsmEmitter {
  readonly #plan: EsmPlan;
  readonly #esm: EsmFacts;
  readonly #source: SourceText;
  readonly #handle: string;
  readonly #defaultName: string;
  readonly #imports: ReadonlyMap<string, string>;

  constructor(plan: EsmPlan, esm: EsmFacts, source: SourceText) {
    this.#plan = plan;
    this.#esm = esm;
    this.#source = source;
    this.#imports = new Map(plan.imports);
    this.#handle = freeName('link', source.text);
    this.#defaultName = freeName(DEFAULT_LOCAL, source.text);
  }

  emit(out: Output): void {
    const { id, path, links, bindings, live } = this.#plan;
    const spaces = new Map<string, string>();
    for (const { key, isLive } of bindings)
      if (isLive && !spaces.has(key)) spaces.set(key, freeName(`${nameFor(key)}_`, this.#source.text, spaces));
    const wait = this.#waits();
    const place = this.#usesPlace() ? path : '';
    out.raw(
      `esm(${quoted(id)}, ${quoted(place)}, ${table(this.#imports)}, ${table(new Map(links))}, ${String(wait)}, ${wait === ASYNC ? 'async ' : ''}function* (${this.#handle}) {\n'use strict';\n`,
    );
    for (const line of [...this.#getters(), ...this.#earlyLines(bindings, spaces)]) out.raw(`${line}\n`);
    out.raw('yield;\n');
    for (const line of this.#importLines(bindings)) out.raw(`${line}\n`);
    this.#body(out, new Set(live), this.#edits(bindings, spaces));
    out.raw('});\n');
  }

  /** A pattern, or a place of its own, makes a module need to know where it lies. */
  #usesPlace(): boolean {
    return this.#esm.metas.length > 0 || this.#esm.dynamicImports.length > 0 || this.#plan.hasDynamics;
  }

  #getters(): string[] {
    const { getters, stars } = this.#plan;
    const all = stars.map((specifier) => `${this.#handle}.all(${quoted(specifier)});`);
    if (getters.length === 0) return all;
    const lines = getters.map(([name, read]) => `  ${propertyName(name)}: () => ${this.#readText(read)},`);
    return [`${this.#handle}.exports({`, ...lines, '});', ...all];
  }

  #readText(read: Read): string {
    if ('local' in read) return this.#localName(read.local);
    return `${this.#handle}.get(${quoted(read.key)})${read.name === undefined ? '' : access(read.name)}`;
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

/** What specifiers lead to, as an object literal. */
export function table(links: ReadonlyMap<string, string>): string {
  if (links.size === 0) return '{}';
  return `{ ${[...links].map(([key, id]) => `${propertyName(key)}: ${quoted(id)}`).join(', ')} }`;
}

/** A text as a literal of JavaScript. */
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
