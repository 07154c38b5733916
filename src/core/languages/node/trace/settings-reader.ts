/** Which settings a module reads: `process.env.NAME`, also by way of a name that stands for `process.env`. */
import type { AnyNode } from 'acorn';
import { isProcessEnv, type Values } from './constants';
import type { SettingRead } from './facts';
import { memberName, type Walker } from './walker';

export class SettingsReader {
  readonly found: SettingRead[] = [];
  readonly #mayRead: boolean;
  readonly #lineAt: (at: number) => number;
  /** Reads whose place copes with a setting that is not there. */
  readonly #soft = new Set<AnyNode>();
  readonly #aliases = new Set<string>();

  constructor(code: string, lineAt: (at: number) => number) {
    this.#mayRead = code.includes('env');
    this.#lineAt = lineAt;
  }

  enter(node: AnyNode, walker: Walker, values: Values): boolean {
    if (!this.#mayRead) return false;
    switch (node.type) {
      case 'LogicalExpression':
        this.#soften(node.left);
        break;
      case 'IfStatement':
      case 'ConditionalExpression':
        this.#soften(node.test);
        break;
      case 'UnaryExpression':
        this.#soften(node.argument);
        break;
      case 'BinaryExpression':
        if (/^[=!]==?$/.test(node.operator)) {
          this.#soften(node.left);
          this.#soften(node.right);
        }
        break;
      case 'ChainExpression':
        if (node.expression.type === 'CallExpression') this.#soften(node.expression.callee);
        break;
      case 'AssignmentExpression':
        if (node.operator !== '=' || this.#nameRead(node.left, values) === undefined) break;
        walker.visit(node.right);
        return true;
      case 'VariableDeclarator':
        this.#declared(node, values);
        break;
      case 'MemberExpression':
        this.#read(node, values);
        break;
      default:
    }
    return false;
  }

  #soften(node: AnyNode): void {
    this.#soft.add(node);
    if (node.type === 'ChainExpression' || node.type === 'ParenthesizedExpression') this.#soften(node.expression);
    if (node.type === 'MemberExpression' && node.optional) this.#soften(node.object);
  }

  #read(node: AnyNode, values: Values): void {
    const name = this.#nameRead(node, values);
    if (name === undefined) return;
    this.found.push({ name, line: this.#lineAt(node.start), hasDefault: this.#soft.has(node) });
  }

  #nameRead(node: AnyNode, values: Values): string | undefined {
    return node.type === 'MemberExpression' && this.#isEnv(node.object, values) ? memberName(node) : undefined;
  }

  #isEnv(node: AnyNode, values: Values): boolean {
    if (isProcessEnv(node)) return true;
    if (node.type !== 'Identifier') return false;
    if (this.#aliases.has(node.name)) return true;
    const value = values.get(node.name);
    return value !== undefined && value !== null && isProcessEnv(value);
  }

  /** `const { A, B = '1' } = process.env` and `const { env } = process`. */
  #declared({ id, init }: Extract<AnyNode, { type: 'VariableDeclarator' }>, values: Values): void {
    if (id.type !== 'ObjectPattern' || init === null || init === undefined) return;
    const isEnv = this.#isEnv(init, values);
    for (const property of id.properties) {
      if (property.type !== 'Property' || property.computed) continue;
      const name = property.key.type === 'Identifier' ? property.key.name : undefined;
      if (name === undefined) continue;
      if (isEnv)
        this.found.push({
          name,
          line: this.#lineAt(property.start),
          hasDefault: property.value.type === 'AssignmentPattern',
        });
      else if (name === 'env' && init.type === 'Identifier' && init.name === 'process')
        if (property.value.type === 'Identifier') this.#aliases.add(property.value.name);
    }
  }
}
