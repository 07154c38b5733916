/** Changes a value of a JSON file in place, one with comments too. */
import { parseTree, printParseErrorCode, type Node, type ParseError } from 'jsonc-parser';
import {
  isIndex,
  isNumber,
  missing,
  nodesAt,
  NO_POINTER,
  noPlainValue,
  pointerSteps,
  several,
  splice,
  type Edited,
  type EditFault,
} from './editor';

/** Puts a value into JSON, everything else as it stands. @param at JSON Pointer (RFC 6901) */
export function editJson(text: string, at: string, value: string): Edited | EditFault {
  const steps = pointerSteps(at);
  if (steps === undefined) return NO_POINTER;
  const root = rootOf(text);
  if ('expected' in root) return root;
  const nodes = nodesAt(root, steps, at, { childrenAt, namesOf });
  if ('expected' in nodes) return nodes;
  const [node] = nodes;
  if (node === undefined) return missing(at, [], []);
  return nodes.length > 1 ? several(at, nodes.length, node.offset) : replace(text, node, at, value);
}

function rootOf(text: string): Node | EditFault {
  const errors: ParseError[] = [];
  const root = parseTree(text, errors, { allowTrailingComma: true });
  const [error] = errors;
  if (error === undefined && root !== undefined) return root;
  const found = error === undefined ? 'nothing' : printParseErrorCode(error.error);
  return { expected: 'JSON', found, mend: 'mend it', offset: error?.offset ?? 0 };
}

function replace(
  text: string,
  { type, value: old, offset, length }: Node,
  at: string,
  value: string,
): Edited | EditFault {
  if (type === 'array' || type === 'object') return noPlainValue(at, type === 'array' ? 'a list' : 'an object', offset);
  const before = type === 'null' ? '' : String(old);
  if (before === value) return { text, before };
  const written = type === 'number' && isNumber(value) ? value : JSON.stringify(value);
  return { text: splice(text, [offset, offset + length], written), before };
}

function childrenAt(node: Node, step: string): Node[] {
  const { type, children = [] } = node;
  if (type === 'array') return isIndex(step) ? children.slice(Number(step), Number(step) + 1) : [];
  return children.flatMap(({ children: pair = [] }) => {
    const [key, value] = pair;
    return key?.value === step && value !== undefined ? [value] : [];
  });
}

function namesOf({ type, children = [] }: Node): string[] {
  if (type === 'array') return children.map((_, i) => String(i));
  return children.map(({ children: pair = [] }) => String(pair[0]?.value ?? '?'));
}
