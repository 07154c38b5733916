/** Changes a value of a TOML file in place. */
import { ParseError, parseTOML, type AST } from 'toml-eslint-parser';
import {
  isNumber,
  missing,
  NO_POINTER,
  noPlainValue,
  pointerSteps,
  several,
  splice,
  type Edited,
  type EditFault,
} from './editor';

interface Found {
  readonly path: readonly string[];
  readonly node: AST.TOMLContentNode;
}

/** Puts a value into TOML, everything else as it stands. @param at JSON Pointer (RFC 6901) */
export function editToml(text: string, at: string, value: string): Edited | EditFault {
  const steps = pointerSteps(at);
  if (steps === undefined) return NO_POINTER;
  let all: Found[];
  try {
    all = [...valuesIn(parseTOML(text))];
  } catch (error) {
    if (!(error instanceof ParseError)) throw error;
    return { expected: 'TOML', found: error.message, mend: 'mend it', offset: error.index };
  }
  const wanted = JSON.stringify(steps);
  const found = all.filter(({ path }) => JSON.stringify(path) === wanted);
  const [one] = found;
  if (one === undefined) return nearest(all, steps, at);
  const { node } = one;
  const [start, end] = node.range;
  if (found.length > 1) return several(at, found.length, start);
  if (node.type !== 'TOMLValue') return noPlainValue(at, node.type === 'TOMLArray' ? 'a list' : 'a table', start);
  const before = String(node.value);
  if (before === value) return { text, before };
  const isCounted = node.kind === 'integer' || node.kind === 'float';
  // A basic string (TOML 1.0, "String") escapes what JSON does, and DEL.
  const written = isCounted && isNumber(value) ? value : JSON.stringify(value).replaceAll('\u007f', '\\u007f');
  return { text: splice(text, [start, end], written), before };
}

function nearest(all: readonly Found[], steps: readonly string[], at: string): EditFault {
  for (let length = steps.length - 1; length >= 0; length--) {
    const seen = steps.slice(0, length);
    const below = all.filter(({ path }) => path.length > length && seen.every((step, i) => path[i] === step));
    if (below.length > 0) return missing(at, seen, [...new Set(below.map(({ path }) => path[length] ?? ''))]);
  }
  return missing(at, [], []);
}

function* valuesIn({ body: [top] }: AST.TOMLProgram): Generator<Found> {
  for (const node of top.body) {
    if (node.type === 'TOMLKeyValue') {
      yield* pairIn(node, []);
      continue;
    }
    const path = node.resolvedKey.map(String);
    for (const pair of node.body) yield* pairIn(pair, path);
  }
}

function* pairIn({ key, value }: AST.TOMLKeyValue, above: readonly string[]): Generator<Found> {
  const own = key.keys.map((one) => (one.type === 'TOMLBare' ? one.name : one.value));
  yield* below(value, [...above, ...own]);
}

function* below(node: AST.TOMLContentNode, path: readonly string[]): Generator<Found> {
  yield { path, node };
  if (node.type === 'TOMLArray')
    for (const [i, element] of node.elements.entries()) yield* below(element, [...path, String(i)]);
  else if (node.type === 'TOMLInlineTable') for (const pair of node.body) yield* pairIn(pair, path);
}
