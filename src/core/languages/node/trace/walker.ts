/** Walks a syntax tree with its scopes: which names are declared where, and which of those at the top are used. */
import type { AnyNode, Pattern } from 'acorn';

export interface Reference {
  readonly name: string;
  readonly start: number;
  readonly how: 'plain' | 'shorthand' | 'call';
  readonly isWrite: boolean;
  /** The member that is read of it, where that is all that is done with it. */
  readonly member: string | undefined;
  /** Index of the top-level statement that it stands in. */
  readonly statement: number;
}

export interface Scope {
  readonly names: Set<string>;
  readonly references: Reference[];
  readonly isFunction: boolean;
  readonly parent: Scope | undefined;
}

export type Visitor = (node: AnyNode, walker: Walker) => boolean;

type Handlers = { readonly [T in AnyNode['type']]?: (walker: Walker, node: Extract<AnyNode, { type: T }>) => void };

export class Walker {
  readonly top: Scope = { names: new Set(), references: [], isFunction: true, parent: undefined };
  /** Names declared at the top, in order. */
  readonly declared: string[] = [];
  scope: Scope = this.top;
  statement = 0;
  /** How deep in functions, and in `try` blocks of the innermost of them. */
  functions = 0;
  tries = 0;
  readonly #enter: Visitor;
  readonly #isSloppy: boolean;

  /** @param enter told of each node before its parts; answers whether it has dealt with them itself */
  constructor(enter: Visitor, isSloppy: boolean) {
    this.#enter = enter;
    this.#isSloppy = isSloppy;
  }

  visit(node: AnyNode | null | undefined): void {
    if (node === null || node === undefined) return;
    if (this.#enter(node, this)) return;
    const handler = HANDLERS[node.type] as ((walker: Walker, node: AnyNode) => void) | undefined;
    if (handler === undefined) this.children(node);
    else handler(this, node);
  }

  visitAll(nodes: readonly (AnyNode | null | undefined)[]): void {
    for (const node of nodes) this.visit(node);
  }

  children(node: AnyNode): void {
    const fields = node as unknown as Record<string, unknown>;
    for (const key in fields) {
      const value = fields[key];
      if (typeof value !== 'object' || value === null) continue;
      if (Array.isArray(value)) this.visitAll(value as AnyNode[]);
      else if (isNode(value)) this.visit(value);
    }
  }

  refer(name: string, start: number, more: Partial<Pick<Reference, 'how' | 'isWrite' | 'member'>> = {}): void {
    this.scope.references.push({
      name,
      start,
      how: more.how ?? 'plain',
      isWrite: more.isWrite ?? false,
      member: more.member,
      statement: this.statement,
    });
  }

  within(isFunction: boolean, work: () => void): void {
    const scope: Scope = { names: new Set(), references: [], isFunction, parent: this.scope };
    this.scope = scope;
    work();
    this.scope = scope.parent ?? this.top;
    for (const reference of scope.references)
      if (!scope.names.has(reference.name)) this.scope.references.push(reference);
  }

  declare(name: string, isVar: boolean): void {
    let { scope } = this;
    if (isVar) while (!scope.isFunction && scope.parent !== undefined) scope = scope.parent;
    if (scope === this.top && !scope.names.has(name)) this.declared.push(name);
    scope.names.add(name);
  }

  /** A function's name, which in sloppy code is known outside its block too. */
  declareFunction(name: string): void {
    this.declare(name, false);
    if (this.#isSloppy) this.declare(name, true);
  }

  /** The names of a pattern; what is computed in it is visited. */
  declarePattern(pattern: Pattern | AnyNode | null, isVar: boolean): void {
    this.#eachTarget(pattern, (node) => {
      if (node.type === 'Identifier') this.declare(node.name, isVar);
    });
  }

  /** A pattern that is assigned to. */
  assignPattern(pattern: AnyNode): void {
    this.#eachTarget(pattern, (node, how) => {
      if (node.type === 'Identifier') this.refer(node.name, node.start, { isWrite: true, how });
      else this.visit(node);
    });
  }

  #eachTarget(
    pattern: AnyNode | null | undefined,
    take: (node: AnyNode, how: Reference['how']) => void,
    how: Reference['how'] = 'plain',
  ): void {
    if (pattern === null || pattern === undefined) return;
    if (pattern.type === 'ObjectPattern')
      for (const property of pattern.properties) {
        if (property.type === 'RestElement') {
          this.#eachTarget(property.argument, take);
          continue;
        }
        if (property.computed) this.visit(property.key);
        this.#eachTarget(property.value, take, property.shorthand ? 'shorthand' : 'plain');
      }
    else if (pattern.type === 'ArrayPattern') for (const element of pattern.elements) this.#eachTarget(element, take);
    else if (pattern.type === 'RestElement') this.#eachTarget(pattern.argument, take);
    else if (pattern.type === 'AssignmentPattern') {
      this.#eachTarget(pattern.left, take, how);
      this.visit(pattern.right);
    } else take(pattern, how);
  }

  function(node: { params: Pattern[]; body: AnyNode }, isArrow: boolean, ownName?: string): void {
    const { tries } = this;
    this.functions += 1;
    this.tries = 0;
    this.within(true, () => {
      if (!isArrow) this.scope.names.add('arguments');
      if (ownName !== undefined) this.scope.names.add(ownName);
      for (const param of node.params) this.declarePattern(param, false);
      if (node.body.type === 'BlockStatement') this.visitAll(node.body.body);
      else this.visit(node.body);
    });
    this.functions -= 1;
    this.tries = tries;
  }
}

const HANDLERS: Handlers = {
  Identifier: (walker, { name, start }) => walker.refer(name, start),
  BlockStatement: (walker, { body }) => walker.within(false, () => walker.visitAll(body)),
  StaticBlock: (walker, { body }) => walker.within(true, () => walker.visitAll(body)),
  ForStatement: (walker, node) => walker.within(false, () => walker.children(node)),
  ForInStatement: forEach,
  ForOfStatement: forEach,
  SwitchStatement(walker, { discriminant, cases }) {
    walker.visit(discriminant);
    walker.within(false, () => walker.visitAll(cases));
  },
  TryStatement(walker, { block, handler, finalizer }) {
    if (handler !== null && handler !== undefined) walker.tries += 1;
    walker.visit(block);
    if (handler !== null && handler !== undefined) walker.tries -= 1;
    walker.visit(handler);
    walker.visit(finalizer);
  },
  CatchClause: (walker, { param, body }) =>
    walker.within(false, () => {
      walker.declarePattern(param ?? null, false);
      walker.visitAll(body.body);
    }),
  VariableDeclaration(walker, { declarations, kind }) {
    for (const one of declarations) walker.visit(one);
    for (const { id } of declarations) walker.declarePattern(id, kind === 'var');
  },
  VariableDeclarator: (walker, { init }) => walker.visit(init),
  FunctionDeclaration(walker, node) {
    // A default export may be without a name.
    const name = (node.id as { name: string } | null)?.name;
    if (name !== undefined) walker.declareFunction(name);
    walker.function(node, false);
  },
  FunctionExpression: (walker, node) => walker.function(node, false, node.id?.name),
  ArrowFunctionExpression: (walker, node) => walker.function(node, true),
  ClassDeclaration(walker, node) {
    const name = (node.id as { name: string } | null)?.name;
    if (name !== undefined) walker.declare(name, false);
    classParts(walker, node);
  },
  ClassExpression: (walker, node) =>
    walker.within(false, () => {
      if (node.id) walker.scope.names.add(node.id.name);
      classParts(walker, node);
    }),
  MethodDefinition: keyed,
  PropertyDefinition(walker, node) {
    if (node.computed) walker.visit(node.key);
    if (node.value !== null && node.value !== undefined) walker.function({ params: [], body: node.value }, node.static);
  },
  Property(walker, node) {
    if (node.shorthand && node.value.type === 'Identifier')
      walker.refer(node.value.name, node.value.start, { how: 'shorthand' });
    else keyed(walker, node);
  },
  MemberExpression(walker, node) {
    const member = memberName(node);
    if (node.object.type === 'Identifier') walker.refer(node.object.name, node.object.start, { member });
    else walker.visit(node.object);
    if (node.computed) walker.visit(node.property);
  },
  CallExpression(walker, { callee, arguments: args }) {
    if (callee.type === 'Identifier') walker.refer(callee.name, callee.start, { how: 'call' });
    else walker.visit(callee);
    walker.visitAll(args);
  },
  TaggedTemplateExpression(walker, { tag, quasi }) {
    if (tag.type === 'Identifier') walker.refer(tag.name, tag.start, { how: 'call' });
    else walker.visit(tag);
    walker.visit(quasi);
  },
  AssignmentExpression(walker, { left, right }) {
    walker.assignPattern(left);
    walker.visit(right);
  },
  UpdateExpression: (walker, { argument }) => walker.assignPattern(argument),
  LabeledStatement: (walker, { body }) => walker.visit(body),
  BreakStatement: () => undefined,
  ContinueStatement: () => undefined,
  MetaProperty: () => undefined,
  TemplateElement: () => undefined,
  Literal: () => undefined,
};

function forEach(
  walker: Walker,
  { left, right, body }: { readonly left: AnyNode; readonly right: AnyNode; readonly body: AnyNode },
): void {
  walker.within(false, () => {
    if (left.type === 'VariableDeclaration') walker.visit(left);
    else walker.assignPattern(left);
    walker.visit(right);
    walker.visit(body);
  });
}

function classParts(
  walker: Walker,
  { superClass, body }: { readonly superClass?: AnyNode | null; readonly body: { readonly body: readonly AnyNode[] } },
): void {
  walker.visit(superClass);
  walker.visitAll(body.body);
}

function keyed(
  walker: Walker,
  { computed, key, value }: { readonly computed: boolean; readonly key: AnyNode; readonly value: AnyNode },
): void {
  if (computed) walker.visit(key);
  walker.visit(value);
}

/** `a.b` and `a['b']` give `b`. */
export function memberName(node: Extract<AnyNode, { type: 'MemberExpression' }>): string | undefined {
  if (!node.computed) return node.property.type === 'Identifier' ? node.property.name : undefined;
  return node.property.type === 'Literal' && typeof node.property.value === 'string' ? node.property.value : undefined;
}

function isNode(value: object): value is AnyNode {
  return 'type' in value && typeof value.type === 'string';
}
