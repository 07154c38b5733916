/** Changes a value of a YAML file in place. */
import { isAlias, isMap, isNode, isScalar, isSeq, parseAllDocuments, stringify, type Node, type Scalar } from 'yaml';
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

/** Puts a value into YAML, everything else as it stands. @param at JSON Pointer (RFC 6901) */
export function editYaml(text: string, at: string, value: string): Edited | EditFault {
  const steps = pointerSteps(at);
  if (steps === undefined) return NO_POINTER;
  const documents = parseAllDocuments(text, { uniqueKeys: false });
  const all = Array.isArray(documents) ? documents : [];
  for (const { errors } of all) {
    const [error] = errors;
    if (error !== undefined)
      return { expected: 'YAML', found: error.message.split('\n')[0] ?? '', mend: 'mend it', offset: error.pos[0] };
  }
  let fault: EditFault = missing(at, [], []);
  const found: Node[] = [];
  for (const { contents } of all) {
    const nodes = nodesAt<unknown>(contents, steps, at, { childrenAt, namesOf });
    if ('expected' in nodes) fault = nodes;
    else found.push(...nodes.filter(isNode));
  }
  const [node] = found;
  if (node === undefined) return fault;
  if (found.length > 1) return several(at, found.length, node.range?.[0] ?? 0);
  return replaceScalar(text, node, at, value);
}

function childrenAt(node: unknown, step: string): unknown[] {
  if (isMap(node))
    return node.items.filter(({ key }) => (isScalar(key) ? String(key.value) : '') === step).map(({ value }) => value);
  if (isSeq(node) && isIndex(step)) return node.items.slice(Number(step), Number(step) + 1);
  return [];
}

function namesOf(node: unknown): string[] {
  if (isMap(node)) return node.items.map(({ key }) => (isScalar(key) ? String(key.value) : '?'));
  return isSeq(node) ? node.items.map((_, i) => String(i)) : [];
}

function replaceScalar(text: string, node: Node, at: string, value: string): Edited | EditFault {
  const [start = 0, end = 0] = node.range ?? [];
  if (isAlias(node)) return noPlainValue(at, 'an alias', start);
  if (!isScalar(node)) return noPlainValue(at, isSeq(node) ? 'a list' : 'a mapping', start);
  if (node.type === 'BLOCK_LITERAL' || node.type === 'BLOCK_FOLDED')
    return noPlainValue(at, 'a text over several lines', start);
  const before = node.value === null ? '' : (node.source ?? String(node.value));
  if (before === value) return { text, before };
  const written = writeScalar(node, value);
  // Where nothing stands behind the colon yet, a space goes before it.
  const put = start === end && /[:-]$/.test(text.slice(0, start)) ? ` ${written}` : written;
  return { text: splice(text, [start, end], put), before };
}

function writeScalar({ value: before, type }: Scalar, value: string): string {
  if (typeof before === 'number' && isNumber(value)) return value;
  const defaultStringType = type === 'QUOTE_DOUBLE' || type === 'QUOTE_SINGLE' ? type : 'PLAIN';
  return stringify(value, { lineWidth: 0, defaultStringType, collectionStyle: 'flow' }).trimEnd();
}
