/** What linking has to know of an ES module: its statements, what they declare and use, what it imports and exports. */
import type {
  AnyNode,
  ExportDefaultDeclaration,
  ExportNamedDeclaration,
  Identifier,
  ImportAttribute,
  Literal,
} from 'acorn';
import {
  DEFAULT_LOCAL,
  type EsmFacts,
  type ExportedName,
  type ImportedName,
  type ModuleRequest,
  type NameUse,
  type Reexport,
  type Statement,
} from './facts';
import { Purity } from './purity';
import type { Walker } from './walker';

type FoundRequest = Omit<ModuleRequest, 'line'> & { readonly at: number };
type Draft = Omit<Statement, 'uses'>;

const COMMON_JS_NAMES = new Set(['require', 'module', 'exports', '__dirname', '__filename']);

export class EsmReader {
  readonly requests: FoundRequest[] = [];
  readonly #code: string;
  readonly #walker: Walker;
  readonly #purity: Purity;
  readonly #statements: Draft[] = [];
  readonly #imports: ImportedName[] = [];
  readonly #exports: ExportedName[] = [];
  readonly #reexports: Reexport[] = [];
  readonly #stars: string[] = [];
  readonly #awaits: [start: number, argument: number, end: number][] = [];
  #awaitsOtherwise = false;

  constructor(code: string, walker: Walker) {
    this.#code = code;
    this.#walker = walker;
    this.#purity = new Purity(code);
  }

  statement(node: AnyNode): void {
    const before = this.#walker.declared.length;
    const draft = this.#read(node);
    const declares = this.#walker.declared.slice(before);
    if (this.#mayAwait(draft)) this.#findAwaits(node);
    this.#statements.push({
      ...draft,
      declares: [...draft.declares, ...declares],
      isPure: this.#purity.statement(node),
    });
  }

  /** @param metas starts of `import.meta` */
  finish(dynamicImports: readonly number[], metas: readonly number[]): EsmFacts {
    const { references, names } = this.#walker.top;
    const spaces = new Set(this.#imports.filter(({ imported }) => imported === '*').map(({ local }) => local));
    const imported = new Set(this.#imports.map(({ local }) => local));
    const uses = new Map<string, NameUse[]>([...imported].map((name) => [name, []]));
    const assigned = new Set<string>();
    const byStatement: Set<string>[] = this.#statements.map(() => new Set());
    for (const { name, start, how, isWrite, member, statement } of references) {
      if (!names.has(name) && !imported.has(name)) continue;
      byStatement[statement]?.add(spaces.has(name) && member !== undefined ? `${name}.${member}` : name);
      if (imported.has(name)) uses.get(name)?.push([start, how]);
      else if (isWrite) assigned.add(name);
    }
    return {
      statements: this.#statements.map((one, i) => ({ ...one, uses: [...(byStatement[i] ?? [])] })),
      imports: this.#imports,
      exports: this.#exports,
      reexports: this.#reexports,
      stars: this.#stars,
      metas,
      dynamicImports,
      hasTopAwait: this.#awaits.length > 0 || this.#awaitsOtherwise,
      awaits: this.#awaits,
      awaitsOtherwise: this.#awaitsOtherwise,
      commonJsNames: references
        .filter(({ name }) => COMMON_JS_NAMES.has(name) && !names.has(name) && !imported.has(name))
        .map(({ name, start }) => ({ name, at: start })),
      assigned: [...assigned],
      uses: [...uses],
    };
  }

  #read(node: AnyNode): Draft {
    const draft = { start: node.start, end: node.end, declares: [], isPure: false };
    switch (node.type) {
      case 'ImportDeclaration':
        this.#request(node.source, node.attributes);
        for (const one of node.specifiers)
          this.#imports.push({
            local: one.local.name,
            specifier: String(node.source.value),
            imported: importedName(one),
          });
        return { ...draft, kind: 'import' };
      case 'ExportAllDeclaration':
        this.#request(node.source, node.attributes);
        if (node.exported)
          this.#reexports.push({ name: nameOf(node.exported), specifier: String(node.source.value), imported: '*' });
        else this.#stars.push(String(node.source.value));
        return { ...draft, kind: 'export-from' };
      case 'ExportNamedDeclaration':
        return { ...draft, ...this.#exportNamed(node) };
      case 'ExportDefaultDeclaration':
        return { ...draft, ...this.#exportDefault(node) };
      default:
        this.#walker.visit(node);
        return { ...draft, kind: 'plain' };
    }
  }

  #exportNamed(node: ExportNamedDeclaration): Pick<Statement, 'kind' | 'inner' | 'declares'> {
    if (node.source !== null && node.source !== undefined) {
      const specifier = String(node.source.value);
      this.#request(node.source, node.attributes);
      for (const one of node.specifiers)
        this.#reexports.push({ name: nameOf(one.exported), specifier, imported: nameOf(one.local) });
      return { kind: 'export-from', declares: [] };
    }
    if (node.declaration === null || node.declaration === undefined) {
      for (const { local, exported } of node.specifiers)
        this.#exports.push({ name: nameOf(exported), local: nameOf(local) });
      return { kind: 'export-list', declares: [] };
    }
    const { declared } = this.#walker;
    const before = declared.length;
    this.#walker.visit(node.declaration);
    for (const name of declared.slice(before)) this.#exports.push({ name, local: name });
    // A `var` that was declared before is exported all the same.
    if (node.declaration.type === 'VariableDeclaration')
      for (const { id } of node.declaration.declarations)
        if (id.type === 'Identifier' && !this.#exports.some(({ local }) => local === id.name))
          this.#exports.push({ name: id.name, local: id.name });
    return { kind: 'export', inner: node.declaration.start, declares: [] };
  }

  #exportDefault(node: ExportDefaultDeclaration): Omit<Draft, 'start' | 'end' | 'isPure'> {
    const { declaration } = node;
    const isDeclaration = declaration.type === 'FunctionDeclaration' || declaration.type === 'ClassDeclaration';
    const own = isDeclaration ? declaration.id?.name : undefined;
    this.#walker.visit(declaration);
    this.#exports.push({ name: 'default', local: own ?? DEFAULT_LOCAL });
    if (own !== undefined) return { kind: 'export-default', inner: declaration.start, declares: [] };
    // Without a name there is no reference to it either, but the export itself.
    const text = this.#code.slice(declaration.start, declaration.start + 200);
    const head = isDeclaration ? /^(?:async\s+)?(?:function\s*\*?|class)\s*/.exec(text)?.[0] : undefined;
    return {
      kind: 'export-default',
      inner: declaration.start,
      declares: [DEFAULT_LOCAL],
      ...(head !== undefined && { nameAt: declaration.start + head.trimEnd().length }),
    };
  }

  #mayAwait({ kind, start, end }: Draft): boolean {
    return kind !== 'import' && kind !== 'export-from' && this.#code.slice(start, end).includes('await');
  }

  /** What awaits in the module itself, and not in a function of it. */
  #findAwaits(node: AnyNode): void {
    if (node.type === 'AwaitExpression') this.#awaits.push([node.start, node.argument.start, node.end]);
    if (
      (node.type === 'ForOfStatement' && node.await) ||
      (node.type === 'VariableDeclaration' && node.kind === 'await using')
    )
      this.#awaitsOtherwise = true;
    if (/Function|^MethodDefinition|^StaticBlock|^PropertyDefinition/.test(node.type)) return;
    for (const value of Object.values(node as unknown as Record<string, unknown>))
      for (const part of Array.isArray(value) ? (value as unknown[]) : [value])
        if (typeof part === 'object' && part !== null && 'type' in part) this.#findAwaits(part as AnyNode);
  }

  #request({ value, start, end }: Literal, attributes: readonly ImportAttribute[]): void {
    const isJson = attributes.some(({ key, value: { value: type } }) => nameOf(key) === 'type' && type === 'json');
    const request = { kind: 'import', specifier: String(value), guard: 'none', start, end, at: start } as const;
    this.requests.push(isJson ? { ...request, isJson } : request);
  }
}

function importedName(one: AnyNode): string {
  if (one.type === 'ImportDefaultSpecifier') return 'default';
  return one.type === 'ImportSpecifier' ? nameOf(one.imported) : '*';
}

function nameOf(node: Identifier | Literal): string {
  return node.type === 'Identifier' ? node.name : String(node.value);
}
