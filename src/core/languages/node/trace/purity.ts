/**
 * Which statements are taken to do nothing but declare names, so that they can go when nobody uses these. Names of the
 * language and what they hold count as what they are at the start: code that puts a getter, a proxy or another function in
 * their place would notice. Whatever else may run code or throw keeps its statement.
 */
import type { AnyNode, Class, Expression } from 'acorn';
import { memberName } from './walker';

/** Globals whose properties can be read without an effect. */
const PURE_GLOBALS = new Set(
  'Object Array Math JSON Symbol Number String Boolean BigInt Reflect Promise Map Set WeakMap WeakSet Error Date RegExp Function Infinity NaN undefined globalThis console process Buffer Uint8Array Int8Array Uint16Array Int16Array Uint32Array Int32Array Float32Array Float64Array ArrayBuffer DataView Proxy Intl URL TextEncoder TextDecoder'.split(
    ' ',
  ),
);
const PURE_CONSTRUCTORS = new Set('Map Set WeakMap WeakSet Error TypeError RangeError Date Array Object'.split(' '));
const PURE_CALLS = new Set([
  'Object.create',
  'Object.freeze',
  'Symbol',
  'Symbol.for',
  'Array.isArray',
  'Object.keys',
  'Number',
  'String',
  'Boolean',
  'BigInt',
]);
const ANNOTATION = /\/\*\s*[#@]__PURE__\s*\*\/\s*\(*\s*$/;
const ANNOTATION_REACH = 40;

export class Purity {
  readonly #code: string;

  constructor(code: string) {
    this.#code = code;
  }

  statement(node: AnyNode): boolean {
    switch (node.type) {
      case 'FunctionDeclaration':
      case 'EmptyStatement':
      case 'ExportAllDeclaration':
        return true;
      case 'ClassDeclaration':
        return this.#class(node);
      case 'VariableDeclaration':
        return node.declarations.every(({ id, init }) => id.type === 'Identifier' && this.#isPure(init));
      case 'ExportNamedDeclaration':
        return node.declaration === null || node.declaration === undefined || this.statement(node.declaration);
      case 'ExportDefaultDeclaration':
        return node.declaration.type === 'FunctionDeclaration' || node.declaration.type === 'ClassDeclaration'
          ? this.statement(node.declaration)
          : this.#isPure(node.declaration);
      case 'ExpressionStatement':
        return 'directive' in node ? true : this.#isPure(node.expression);
      default:
        return false;
    }
  }

  #isPure(node: AnyNode | null | undefined): boolean {
    if (!node) return true;
    switch (node.type) {
      case 'Literal':
      case 'Identifier':
      case 'FunctionExpression':
      case 'ArrowFunctionExpression':
      case 'ThisExpression':
      case 'MetaProperty':
        return true;
      case 'ClassExpression':
        return this.#class(node);
      case 'TemplateLiteral':
        return node.expressions.every((one) => one.type === 'Literal');
      case 'UnaryExpression':
        return node.operator !== 'delete' && this.#isPure(node.argument);
      case 'BinaryExpression':
      case 'LogicalExpression':
      case 'ConditionalExpression':
        return this.#isPureOperation(node);
      default:
        return this.#isPureStructure(node);
    }
  }

  #isPureOperation(
    node: Extract<AnyNode, { type: 'BinaryExpression' | 'LogicalExpression' | 'ConditionalExpression' }>,
  ): boolean {
    if (node.type === 'ConditionalExpression') return this.#all([node.test, node.consequent, node.alternate]);
    return node.operator !== 'in' && node.operator !== 'instanceof' && this.#all([node.left, node.right]);
  }

  #isPureStructure(node: AnyNode): boolean {
    switch (node.type) {
      case 'ArrayExpression':
        return node.elements.every((one) => one?.type !== 'SpreadElement' && this.#isPure(one));
      case 'ObjectExpression':
        return node.properties.every(
          (one) => one.type === 'Property' && (!one.computed || this.#isPure(one.key)) && this.#isPure(one.value),
        );
      case 'MemberExpression':
        return !node.computed && node.object.type === 'Identifier' && PURE_GLOBALS.has(node.object.name);
      case 'NewExpression':
        return (
          this.#isAnnotated(node.start) ||
          (node.callee.type === 'Identifier' &&
            PURE_CONSTRUCTORS.has(node.callee.name) &&
            node.arguments.every((one) => one.type !== 'SpreadElement' && this.#isPure(one)))
        );
      case 'CallExpression':
        return (
          (this.#isAnnotated(node.start) || PURE_CALLS.has(nameOf(node.callee))) &&
          node.arguments.every((one) => one.type !== 'SpreadElement' && this.#isPure(one))
        );
      default:
        return false;
    }
  }

  #all(nodes: readonly AnyNode[]): boolean {
    return nodes.every((node) => this.#isPure(node));
  }

  #class({ superClass, body }: Pick<Class, 'superClass' | 'body'>): boolean {
    if (superClass !== null && superClass !== undefined && !this.#isPure(superClass)) return false;
    return body.body.every((member) => {
      if (member.type === 'StaticBlock') return false;
      if (member.computed && !this.#isPure(member.key)) return false;
      return member.type !== 'PropertyDefinition' || !member.static || this.#isPure(member.value);
    });
  }

  /** An annotation that several tools write and read: the call that follows has no effect. */
  #isAnnotated(start: number): boolean {
    return ANNOTATION.test(this.#code.slice(Math.max(0, start - ANNOTATION_REACH), start));
  }
}

function nameOf(callee: Expression | AnyNode): string {
  if (callee.type === 'Identifier') return callee.name;
  if (callee.type !== 'MemberExpression' || callee.object.type !== 'Identifier') return '';
  return `${callee.object.name}.${memberName(callee) ?? ''}`;
}
