/** Finds what one JavaScript module exports, by reading it: ES modules and CommonJS. Never runs anything. */
import { parse, type AnyNode, type Expression, type Pattern, type Program } from 'acorn';
import { nearestWord, printable } from '../../../base/text';
import type { EventRead } from '../../../events';

export type Format = 'esm' | 'cjs';

/** What is known of an exported value. */
export interface Exported {
  readonly callable: 'yes' | 'no' | 'unknown';
  /** In words, for values that cannot be called: `a number`. */
  readonly what?: string;
  /** For functions: how many arguments it counts on. */
  readonly wanted?: number;
  /** Their names, '' for those that have none. */
  readonly parameters?: readonly string[];
  /** Where it stands, for functions: from its parameters to its end. */
  readonly range?: { readonly start: number; readonly end: number };
  /** Names that the first parameter is taken apart into. */
  readonly apart?: readonly EventRead[];
  /** Set where the value is another module's export. */
  readonly from?: { readonly specifier: string; readonly name: string };
}

export interface ModuleExports {
  readonly members: ReadonlyMap<string, Exported>;
  /** Modules all of whose exports are exported too. */
  readonly all: readonly string[];
  /** Set where something is exported that cannot be seen by reading, with its line. */
  readonly unseen?: { readonly line: number; readonly what: string };
}

export interface SyntaxFault {
  /** Counting from 1. */
  readonly line: number;
  readonly column: number;
  readonly message: string;
}

export type ModuleReading =
  | { readonly kind: 'read'; readonly exports: ModuleExports; readonly format: Format }
  | { readonly kind: 'syntax'; readonly fault: SyntaxFault };

/**
 * @param format undefined for a file that may be either: CommonJS is tried first, as Node.js does
 */
export function readModule(code: string, format: Format | undefined): ModuleReading {
  const first = parseAs(code, format ?? 'cjs');
  const parsed = 'fault' in first && format === undefined ? parseAs(code, 'esm') : first;
  const used = parsed === first ? (format ?? 'cjs') : 'esm';
  if ('fault' in parsed) return { kind: 'syntax', fault: parsed.fault };
  const exports = used === 'esm' ? esmExports(parsed.program) : commonJsExports(parsed.program);
  return { kind: 'read', exports, format: used };
}

function parseAs(code: string, format: Format): { program: Program } | { fault: SyntaxFault } {
  try {
    const program = parse(code, {
      ecmaVersion: 'latest',
      sourceType: format === 'esm' ? 'module' : 'script',
      allowReturnOutsideFunction: format === 'cjs',
      allowHashBang: true,
      locations: true,
    });
    return { program };
  } catch (error) {
    if (!(error instanceof SyntaxError)) throw error;
    const { loc } = error as SyntaxError & { loc?: { line: number; column: number } };
    const message = error.message.replace(/ \(\d+:\d+\)$/, '');
    return { fault: { line: loc?.line ?? 1, column: (loc?.column ?? 0) + 1, message } };
  }
}

/** Values bound by name at the top of a module. */
type Bindings = ReadonlyMap<string, Exported>;

function topBindings(program: Program): Bindings {
  const bindings = new Map<string, Exported>();
  for (const statement of program.body) {
    if (statement.type === 'ImportDeclaration') bindImports(statement, bindings);
    else bindDeclared(statement.type === 'ExportNamedDeclaration' ? statement.declaration : statement, bindings);
  }
  return bindings;
}

function bindDeclared(declared: AnyNode | null | undefined, bindings: Map<string, Exported>): void {
  if (declared?.type === 'FunctionDeclaration') bindings.set(nameOf(declared.id), functionWith(declared));
  if (declared?.type === 'ClassDeclaration') bindings.set(nameOf(declared.id), { callable: 'no', what: 'a class' });
  if (declared?.type !== 'VariableDeclaration') return;
  for (const { id, init } of declared.declarations) {
    const value: Exported =
      id.type === 'Identifier' ? valueOf(init, bindings, declared.kind === 'const') : { callable: 'unknown' };
    for (const name of boundNames(id)) bindings.set(name, value);
  }
}

function bindImports(statement: AnyNode & { type: 'ImportDeclaration' }, bindings: Map<string, Exported>): void {
  for (const specifier of statement.specifiers) {
    const name = specifier.type === 'ImportSpecifier' ? nameOf(specifier.imported) : 'default';
    const from = { specifier: String(statement.source.value), name };
    const whole = specifier.type === 'ImportNamespaceSpecifier';
    bindings.set(specifier.local.name, whole ? { callable: 'no', what: 'a module' } : { callable: 'unknown', from });
  }
}

function valueOf(init: Expression | null | undefined, bindings: Bindings, fixed = true): Exported {
  const unknown: Exported = { callable: 'unknown' };
  if (init === null || init === undefined || !fixed) return unknown;
  switch (init.type) {
    case 'FunctionExpression':
    case 'ArrowFunctionExpression':
      return functionWith(init);
    case 'ClassExpression':
      return { callable: 'no', what: 'a class' };
    case 'Literal':
      return { callable: 'no', what: init.value === null ? 'null' : `a ${typeof init.value}` };
    case 'TemplateLiteral':
      return { callable: 'no', what: 'a string' };
    case 'ObjectExpression':
      return { callable: 'no', what: 'an object' };
    case 'ArrayExpression':
      return { callable: 'no', what: 'a list' };
    case 'Identifier':
      return bindings.get(init.name) ?? unknown;
    default:
      return unknown;
  }
}

/** `{ data: { level }, type }` gives `data` with `level`, and `type`; what has a default need not be there. */
function takenApart(pattern: Pattern | undefined): EventRead[] {
  if (pattern?.type !== 'ObjectPattern') return [];
  return pattern.properties.flatMap((one) => {
    if (one.type !== 'Property' || one.computed || one.value.type === 'AssignmentPattern') return [];
    const name = one.key.type === 'Identifier' ? one.key.name : one.key.type === 'Literal' ? String(one.key.value) : '';
    const below = takenApart(one.value);
    return below.length === 0 ? [[name]] : below.map((read) => [name, ...read]);
  });
}

/** What has a default, or takes the rest, need not be given. */
function functionWith({ params, start, end }: { params: readonly Pattern[]; start: number; end: number }): Exported {
  const last = params.findLastIndex(({ type }) => type !== 'AssignmentPattern' && type !== 'RestElement');
  const parameters = params.slice(0, last + 1).map((one) => (one.type === 'Identifier' ? one.name : ''));
  return { callable: 'yes', wanted: last + 1, parameters, range: { start, end }, apart: takenApart(params[0]) };
}

function esmExports(program: Program): ModuleExports {
  const bindings = topBindings(program);
  const members = new Map<string, Exported>();
  const all: string[] = [];
  for (const statement of program.body) {
    if (statement.type === 'ExportDefaultDeclaration') {
      const value = statement.declaration;
      if (value.type === 'FunctionDeclaration') members.set('default', functionWith(value));
      else if (value.type === 'ClassDeclaration') members.set('default', { callable: 'no', what: 'a class' });
      else members.set('default', valueOf(value, bindings));
    } else if (statement.type === 'ExportAllDeclaration') {
      const specifier = String(statement.source.value);
      if (statement.exported === null || statement.exported === undefined) all.push(specifier);
      else members.set(nameOf(statement.exported), { callable: 'no', what: 'a module' });
    } else if (statement.type === 'ExportNamedDeclaration') {
      for (const name of declaredNames(statement.declaration))
        members.set(name, bindings.get(name) ?? { callable: 'unknown' });
      for (const { exported, local } of statement.specifiers) {
        const name = nameOf(local);
        const from = statement.source ? { specifier: String(statement.source.value), name } : undefined;
        members.set(
          nameOf(exported),
          from ? { callable: 'unknown', from } : (bindings.get(name) ?? { callable: 'unknown' }),
        );
      }
    }
  }
  return { members, all };
}

function declaredNames(declaration: AnyNode | null | undefined): string[] {
  if (declaration?.type === 'VariableDeclaration') return declaration.declarations.flatMap(({ id }) => boundNames(id));
  if (declaration?.type === 'FunctionDeclaration' || declaration?.type === 'ClassDeclaration')
    return declaration.id === null ? [] : [declaration.id.name];
  return [];
}

function boundNames(pattern: AnyNode | null): string[] {
  switch (pattern?.type) {
    case 'Identifier':
      return [pattern.name];
    case 'ObjectPattern':
      return pattern.properties.flatMap((p) => boundNames(p.type === 'Property' ? p.value : p.argument));
    case 'ArrayPattern':
      return pattern.elements.flatMap(boundNames);
    case 'AssignmentPattern':
      return boundNames(pattern.left);
    case 'RestElement':
      return boundNames(pattern.argument);
    default:
      return [];
  }
}

function nameOf(node: AnyNode | null): string {
  return node?.type === 'Identifier' ? node.name : node?.type === 'Literal' ? String(node.value) : '';
}

function commonJsExports(program: Program): ModuleExports {
  const reader = new CommonJsReader(topBindings(program));
  reader.visit(program);
  return reader.result();
}

class CommonJsReader {
  readonly #bindings: Bindings;
  readonly #members = new Map<string, Exported>();
  readonly #all: string[] = [];
  #unseen: ModuleExports['unseen'];

  constructor(bindings: Bindings) {
    this.#bindings = bindings;
  }

  result(): ModuleExports {
    return { members: this.#members, all: this.#all, ...(this.#unseen !== undefined && { unseen: this.#unseen }) };
  }

  visit(node: AnyNode): void {
    if (node.type === 'AssignmentExpression') this.#assignment(node.left, node.right);
    else if (node.type === 'CallExpression') this.#call(node);
    for (const value of Object.values(node) as unknown[]) {
      for (const child of Array.isArray(value) ? (value as unknown[]) : [value]) if (isNode(child)) this.visit(child);
    }
  }

  #assignment(left: AnyNode, right: Expression): void {
    if (isModuleExports(left)) {
      this.#whole(right);
      return;
    }
    if (left.type !== 'MemberExpression' || !isExports(left.object)) return;
    const name = memberName(left);
    if (name === undefined) this.#cannotSee(left, 'an export whose name is computed');
    else this.#members.set(name, valueOf(right, this.#bindings));
  }

  /** `module.exports = …`. */
  #whole(value: Expression): void {
    const required = requiredBy(value);
    if (required !== undefined) this.#all.push(required);
    else if (value.type === 'ObjectExpression') this.#properties(value);
    else if (value.type === 'AssignmentExpression') this.#whole(value.right);
    else if (isExports(value)) return;
    else {
      const known = valueOf(value, this.#bindings);
      this.#members.set('default', known);
      if (known.callable === 'unknown' || known.what === 'an object')
        this.#cannotSee(value, '`module.exports` is set to a value that is made elsewhere');
    }
  }

  #properties(object: AnyNode & { type: 'ObjectExpression' }): void {
    for (const property of object.properties) {
      if (property.type === 'SpreadElement') {
        const required = requiredBy(property.argument);
        if (required !== undefined) this.#all.push(required);
        else this.#cannotSee(property, 'a spread in `module.exports`');
      } else if (property.computed) this.#cannotSee(property, 'an export whose name is computed');
      else this.#members.set(nameOf(property.key), valueOf(property.value, this.#bindings));
    }
  }

  #call(call: AnyNode & { type: 'CallExpression' }): void {
    const [first, second, third] = call.arguments;
    const callee = call.callee.type === 'MemberExpression' ? memberName(call.callee) : nameOf(call.callee);
    if (first === undefined || second === undefined) return;
    // What compilers write for `export * from`.
    const required = first.type === 'SpreadElement' ? undefined : requiredBy(first);
    if (required !== undefined && isExports(second)) this.#all.push(required);
    else if (!isExports(first)) return;
    else if (callee === 'defineProperty' && second.type === 'Literal')
      this.#members.set(String(second.value), getterValue(third));
    else if (callee === 'assign' && second.type === 'ObjectExpression') this.#properties(second);
    else if (callee === 'assign' || callee === 'defineProperties')
      this.#cannotSee(call, `exports are made by \`${callee}\``);
  }

  #cannotSee(node: AnyNode, what: string): void {
    this.#unseen ??= { line: node.loc?.start.line ?? 1, what };
  }
}

function getterValue(descriptor: AnyNode | undefined): Exported {
  if (descriptor?.type !== 'ObjectExpression') return { callable: 'unknown' };
  for (const property of descriptor.properties)
    if (property.type === 'Property' && nameOf(property.key) === 'value') return valueOf(property.value, new Map());
  return { callable: 'unknown' };
}

function isNode(value: unknown): value is AnyNode {
  return typeof value === 'object' && value !== null && 'type' in value && typeof value.type === 'string';
}

function memberName(node: AnyNode & { type: 'MemberExpression' }): string | undefined {
  if (!node.computed) return nameOf(node.property);
  return node.property.type === 'Literal' ? String(node.property.value) : undefined;
}

function isModuleExports(node: AnyNode): boolean {
  return (
    node.type === 'MemberExpression' &&
    node.object.type === 'Identifier' &&
    node.object.name === 'module' &&
    memberName(node) === 'exports'
  );
}

function isExports(node: AnyNode): boolean {
  return (node.type === 'Identifier' && node.name === 'exports') || isModuleExports(node);
}

function requiredBy(node: AnyNode): string | undefined {
  if (node.type !== 'CallExpression' || nameOf(node.callee) !== 'require') return undefined;
  const [argument] = node.arguments;
  return argument?.type === 'Literal' && typeof argument.value === 'string' ? argument.value : undefined;
}

/** How to mend an import of a name that is not exported. */
export function missingExportMend(name: string, names: readonly string[], isCommonJs: boolean): string {
  const near = nearestWord(name, names);
  if (near !== undefined) return `did you mean \`${printable(near)}\`?`;
  return isCommonJs ? 'import its default and take the name from that' : 'correct the name, or export it';
}
