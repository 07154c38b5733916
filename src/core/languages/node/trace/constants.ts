/** What an expression comes to, as far as reading can tell: texts, paths from the module's folder, values of NODE_ENV. */
import type { AnyNode, TemplateLiteral } from 'acorn';
import { memberName } from './walker';

/** A text in which `\0` stands for what is not known; `base` where it is a path from the module's folder. */
export interface Constant {
  readonly text: string;
  readonly base?: 'module';
}

export const UNKNOWN = '\0';
const MAX_DEPTH = 12;
const MAX_TEXT = 4096;

/** Values that names stand for; null where a name is declared more than once. */
export type Values = ReadonlyMap<string, AnyNode | null>;

/** The value of an expression, where it is the same whenever it runs; undefined where that cannot be told. */
export function evaluate(node: AnyNode | null | undefined, values: Values, depth = 0): Constant | undefined {
  if (!node || depth > MAX_DEPTH) return undefined;
  const again = (one: AnyNode | null | undefined): Constant | undefined => evaluate(one, values, depth + 1);
  switch (node.type) {
    case 'Literal':
      return isText(node.value) ? { text: String(node.value) } : undefined;
    case 'TemplateLiteral':
      return evaluateTemplate(node, again);
    case 'BinaryExpression':
      return node.operator === '+' ? joined([again(node.left), again(node.right)]) : undefined;
    case 'Identifier':
      return evaluateName(node.name, values, depth);
    case 'MemberExpression':
      return evaluateMember(node, again);
    case 'CallExpression':
    case 'NewExpression':
      return evaluateCall(node, again);
    case 'AwaitExpression':
      return again(node.argument);
    default:
      return undefined;
  }
}

function evaluateTemplate({ quasis, expressions }: TemplateLiteral, again: Again): Constant | undefined {
  return joined(
    quasis.flatMap(({ value }, i) => [
      { text: value.cooked ?? '' },
      ...(i < expressions.length ? [again(expressions[i])] : []),
    ]),
  );
}

function isText(value: unknown): value is string | number {
  return typeof value === 'string' || typeof value === 'number';
}

function evaluateName(name: string, values: Values, depth: number): Constant | undefined {
  const value = values.get(name);
  if (value !== undefined) return evaluate(value, values, depth + 1);
  if (name === '__dirname') return { text: '.', base: 'module' };
  return name === '__filename' ? { text: './\u0001', base: 'module' } : undefined;
}

type Again = (node: AnyNode | null | undefined) => Constant | undefined;

function evaluateMember(node: Extract<AnyNode, { type: 'MemberExpression' }>, again: Again): Constant | undefined {
  const member = memberName(node);
  if (node.object.type === 'MetaProperty') {
    // `\u0001` is the module's own file name, which joining takes off again.
    if (member === 'url' || member === 'filename') return { text: './\u0001', base: 'module' };
    return member === 'dirname' ? { text: '.', base: 'module' } : undefined;
  }
  return member === 'href' || member === 'pathname' ? again(node.object) : undefined;
}

function evaluateCall(
  { type, callee, arguments: args }: Extract<AnyNode, { type: 'CallExpression' | 'NewExpression' }>,
  again: Again,
): Constant | undefined {
  const name = calleeName(callee);
  const [first, second] = args;
  if (type === 'NewExpression') return name === 'URL' ? urlOf(again(first), again(second)) : undefined;
  switch (name) {
    case 'join':
    case 'resolve':
      return joinAll(args.map(again));
    case 'dirname': {
      const path = again(first);
      return path?.base === undefined ? undefined : { ...path, text: path.text.replace(/\/[^/]*$/, '') };
    }
    case 'fileURLToPath':
    case 'pathToFileURL':
    case 'normalize':
    case 'toString':
    case 'String':
      return again(first ?? (callee.type === 'MemberExpression' ? callee.object : undefined));
    default:
      return undefined;
  }
}

/** `path.join` gives `join`. */
export function calleeName(callee: AnyNode): string | undefined {
  if (callee.type === 'Identifier') return callee.name;
  return callee.type === 'MemberExpression' ? memberName(callee) : undefined;
}

function joined(parts: readonly (Constant | undefined)[]): Constant | undefined {
  const [first] = parts;
  const text = parts.map((part) => part?.text ?? UNKNOWN).join('');
  if (text.length > MAX_TEXT || parts.every((part) => part === undefined)) return undefined;
  // `${__dirname}/x` is a path; what begins with something unknown leads anywhere.
  const [base] = parts.flatMap((part, i) =>
    part?.base !== undefined && (i === 0 || parts[i - 1]?.text === '') ? [part.base] : [],
  );
  return first === undefined && text.startsWith(UNKNOWN) ? { text } : { text, ...(base !== undefined && { base }) };
}

/** Paths joined one to another; one that is absolute by itself starts afresh. */
function joinAll(parts: readonly (Constant | undefined)[]): Constant | undefined {
  const at = parts.findLastIndex((part) => part?.base !== undefined);
  if (at < 0) return undefined;
  const text = parts
    .slice(at)
    .map((part) => part?.text ?? UNKNOWN)
    .join('/');
  return { text, base: 'module' };
}

function urlOf(path: Constant | undefined, base: Constant | undefined): Constant | undefined {
  if (path === undefined || base?.base === undefined || /^[a-z][a-z+.-]*:/i.test(path.text)) return undefined;
  // RFC 3986 5.3: the last part of the base is replaced.
  return { text: `${base.text.replace(/[^/]*$/, '')}${path.text}`, base: 'module' };
}

/** What a test says of NODE_ENV where it holds; undefined where it says something else too, or nothing. */
export function nodeEnvTest(
  node: AnyNode,
  values: Values,
  depth = 0,
): readonly [value: string, isEqual: boolean] | undefined {
  if (depth > MAX_DEPTH) return undefined;
  if (node.type === 'Identifier') {
    const value = values.get(node.name);
    return value === undefined || value === null ? undefined : nodeEnvTest(value, values, depth + 1);
  }
  if (node.type === 'UnaryExpression' && node.operator === '!') {
    const test = nodeEnvTest(node.argument, values, depth + 1);
    return test === undefined ? undefined : [test[0], !test[1]];
  }
  if (node.type !== 'BinaryExpression' || !/^[=!]==?$/.test(node.operator)) return undefined;
  const sides = [node.left as AnyNode, node.right as AnyNode];
  const value = sides.find((side) => side.type === 'Literal');
  if (!sides.some(isNodeEnv) || value?.type !== 'Literal' || typeof value.value !== 'string') return undefined;
  return [value.value, node.operator.startsWith('=')];
}

function isNodeEnv(node: AnyNode): boolean {
  return node.type === 'MemberExpression' && memberName(node) === 'NODE_ENV' && isProcessEnv(node.object);
}

/** `process.env`, also behind `globalThis`. */
export function isProcessEnv(node: AnyNode): boolean {
  if (node.type !== 'MemberExpression' || memberName(node) !== 'env') return false;
  const { object } = node;
  return (
    (object.type === 'Identifier' && object.name === 'process') ||
    (object.type === 'MemberExpression' && memberName(object) === 'process')
  );
}
