/** Syntax that not every Node.js knows, with the first major version that does (by the V8 that it has). */
import type { AnyNode } from 'acorn';

type Judge<T extends AnyNode['type']> = (
  node: Extract<AnyNode, { type: T }>,
) => readonly [since: number, what: string] | undefined;
type Judges = { readonly [T in AnyNode['type']]?: Judge<T> };

const JUDGES: Judges = {
  ChainExpression: () => [14, 'optional chaining (`?.`)'],
  LogicalExpression: ({ operator }) => (operator === '??' ? [14, 'nullish coalescing (`??`)'] : undefined),
  AssignmentExpression: ({ operator }) =>
    ['??=', '||=', '&&='].includes(operator) ? [15, `logical assignment (\`${operator}\`)`] : undefined,
  PropertyDefinition: ({ key }) =>
    key.type === 'PrivateIdentifier' ? [12, 'private fields'] : [12, 'fields of classes'],
  MethodDefinition: ({ key }) => (key.type === 'PrivateIdentifier' ? [14, 'private methods'] : undefined),
  StaticBlock: () => [16, 'static blocks of classes'],
  BinaryExpression: ({ left, operator }) =>
    operator === 'in' && (left as AnyNode).type === 'PrivateIdentifier' ? [16, '`#name in object`'] : undefined,
  ImportDeclaration: ({ attributes }) => (attributes.length > 0 ? [18, 'import attributes (`with`)'] : undefined),
  ExportAllDeclaration: ({ exported }) => (exported ? [12, '`export * as name`'] : undefined),
  VariableDeclaration: ({ kind }) =>
    kind === 'using' || kind === 'await using' ? [24, `\`${kind}\` declarations`] : undefined,
  Literal(node) {
    if (node.regex) return regexSyntax(node.regex.pattern, node.regex.flags);
    return typeof node.value === 'number' && node.raw?.includes('_') === true ? [12, 'numeric separators'] : undefined;
  },
};

/** What a node needs that older versions lack. */
export function newSyntaxOf(node: AnyNode): readonly [since: number, what: string] | undefined {
  return (JUDGES[node.type] as ((node: AnyNode) => readonly [number, string] | undefined) | undefined)?.(node);
}

function regexSyntax(pattern: string, flags: string): readonly [number, string] | undefined {
  if (flags.includes('v')) return [20, 'regular expressions with the flag `v`'];
  if (/\(\?[ims]*(?:-[ims]+)?:/.test(pattern.replace(/\(\?:/g, '')))
    return [23, 'modifiers inside regular expressions'];
  return flags.includes('d') ? [16, 'regular expressions with the flag `d`'] : undefined;
}
