/** Reads a YAML file into plain data and keeps where everything stands, so that each mistake can be shown in its place. */
import {
  isAlias,
  isMap,
  isNode,
  isPair,
  isScalar,
  isSeq,
  LineCounter,
  parseDocument,
  type Document,
  type Node,
} from 'yaml';
import type { Place, Problem } from '../../base/errors';
import { nesting, printable } from '../../base/text';

/** A path into the data: keys of mappings and indexes of lists. */
export type DataPath = readonly PropertyKey[];

export interface YamlFile {
  /** Undefined where the file holds nothing that can be read. */
  readonly value: unknown;
  readonly problems: readonly Problem[];
  /** Where the value at a path stands (or its key), or the nearest thing above it that stands somewhere. */
  placeOf(path: DataPath, part?: 'key' | 'value'): Place;
}

/** What is nested deeper is no sheet. */
const MAX_DEPTH = 32;
/** Open brackets and braces at once. */
const MOST_BRACKETS = 14;
/** How often anchors may be repeated, all in all. */
const MAX_ALIASES = 1000;

/**
 * @param text the file's content, already known to be UTF-8
 * @param file its name for messages
 */
export function readYaml(text: string, file: string): YamlFile {
  const lines = new LineCounter();
  // The parser tries twice at each bracket within another that is not closed.
  const isDeep = nesting(text.replace(/(?:^|\s)#.*|[()]|'[^'\n]*'/gm, '')) > MOST_BRACKETS;
  const doc = parseDocument(isDeep ? '' : text, { lineCounter: lines, uniqueKeys: true, prettyErrors: false });
  const placeAt = (offset: number): Place => {
    const { line, col } = lines.linePos(offset);
    return { file, line: Math.max(1, line), column: Math.max(1, col) };
  };
  const problems: Problem[] = doc.errors.map((error) => ({
    place: placeAt(error.pos[0]),
    ...(error.code === 'DUPLICATE_KEY' ? twice(text, error.pos[0], doc, placeAt) : syntax(error.message)),
  }));
  const bad = isDeep ? tooDeep(file) : findRecursion(doc, placeAt);
  if (bad !== undefined) problems.push(bad);
  const empty = doc.contents === null || (isScalar(doc.contents) && doc.contents.value === null);
  if (empty && problems.length === 0) problems.push(emptyFile(file));
  return {
    value: bad !== undefined || empty ? undefined : doc.toJS({ maxAliasCount: MAX_ALIASES }),
    problems,
    placeOf: (path, part = 'value') => placeAt(offsetOf(doc, path, part)),
  };
}

function syntax(message: string): Omit<Problem, 'place'> {
  return { expected: 'valid YAML', found: message, mend: 'mend the line; indentation is by spaces' };
}

function emptyFile(file: string): Problem {
  return {
    place: { file, line: 1, column: 1 },
    expected: 'a mapping with keys and values',
    found: 'a file that holds nothing',
    mend: 'write it; docs/reference/sheet.md shows how',
  };
}

function twice(text: string, at: number, doc: Document, placeAt: (offset: number) => Place): Omit<Problem, 'place'> {
  const key = /^[^\s:#]+/.exec(text.slice(at))?.[0] ?? 'the key';
  const first = firstKey(doc.contents, key, at);
  return {
    expected: `\`${printable(key)}\` once`,
    found: `it a second time${first === undefined ? '' : `; the first is on line ${String(placeAt(first).line)}`}`,
    mend: 'rename one of the two or take it out',
  };
}

/** Offset of the first key of that name in the mapping that has it again at `at`. */
function firstKey(node: unknown, key: string, at: number): number | undefined {
  if (isMap(node)) {
    const keys = node.items.map((pair) => pair.key).filter((k) => isScalar(k) && String(k.value) === key);
    const offsets = keys.map((k) => startOf(k) ?? -1);
    if (offsets.length > 1 && offsets.includes(at)) return offsets[0];
    for (const pair of node.items) {
      const found = firstKey(pair.value, key, at);
      if (found !== undefined) return found;
    }
  }
  if (isSeq(node))
    for (const item of node.items) if (firstKey(item, key, at) !== undefined) return firstKey(item, key, at);
  return undefined;
}

/** An anchor that contains an alias to itself has no end; so has nesting that goes too deep to be meant. */
function findRecursion(doc: Document, placeAt: (offset: number) => Place): Problem | undefined {
  const open: Node[] = [];
  let left = MAX_ALIASES;
  const visit = (node: unknown): Problem | undefined => {
    if (isPair(node)) return oddKey(node.key, placeAt) ?? visit(node.value);
    if (!isNode(node)) return undefined;
    const place = placeAt(node.range?.[0] ?? 0);
    if (isAlias(node)) {
      const target = node.resolve(doc);
      if (target === undefined) return nowhere(place, node.source);
      if (open.includes(target)) return endless(place, `*${node.source}`, 'which contains itself');
      if (--left < 0) return endless(place, 'anchors', `repeated more than ${String(MAX_ALIASES)} times`);
      return visit(target);
    }
    if (open.length >= MAX_DEPTH) return endless(place, 'nesting', `more than ${String(MAX_DEPTH)} levels deep`);
    if (!isMap(node) && !isSeq(node)) return undefined;
    open.push(node);
    for (const item of node.items) {
      const problem = visit(item);
      if (problem !== undefined) return problem;
    }
    open.pop();
    return undefined;
  };
  return visit(doc.contents);
}

/** Keys are texts; a mapping or a list as one is a slip of brackets. */
function oddKey(key: unknown, placeAt: (offset: number) => Place): Problem | undefined {
  if (!isNode(key) || isScalar(key)) return undefined;
  return {
    place: placeAt(key.range?.[0] ?? 0),
    expected: 'a text as the key',
    found: isAlias(key) ? 'an alias' : 'a mapping or a list',
    mend: 'write the key as a text; put quotes around what begins with `{`, `[` or `*`',
  };
}

const LONGEST_NAME = 60;

function nowhere(place: Place, name: string): Problem {
  const shown = printable(name.slice(0, LONGEST_NAME));
  return {
    place,
    expected: `an anchor \`&${shown}\` before it`,
    found: `\`*${shown}\`, which leads nowhere`,
    mend: `put quotes around it, if the text is meant: \`"*${shown}"\``,
  };
}

function tooDeep(file: string): Problem {
  return {
    place: { file, line: 1, column: 1 },
    expected: 'data with an end',
    found: `brackets, more than ${String(MOST_BRACKETS)} levels deep`,
    mend: 'close the brackets that are open, and put quotes around texts that have such',
  };
}

function endless(place: Place, what: string, how: string): Problem {
  return {
    place,
    expected: 'data with an end',
    found: `${printable(what)}, ${how}`,
    mend: 'write the values out instead of repeating an anchor',
  };
}

function offsetOf(doc: Document, path: DataPath, part: 'key' | 'value'): number {
  let node: unknown = doc.contents;
  let offset = startOf(node) ?? 0;
  for (const [i, step] of path.entries()) {
    const here = isAlias(node) ? node.resolve(doc) : node;
    if (isMap(here)) {
      // Where a key stands twice, the last one is what the data holds.
      const pair = here.items.findLast((p) => isScalar(p.key) && String(p.key.value) === String(step));
      if (pair === undefined) return offset;
      const wantsKey = (part === 'key' && i === path.length - 1) || isMap(pair.value);
      offset = (wantsKey ? undefined : startOf(pair.value)) ?? startOf(pair.key) ?? offset;
      node = pair.value;
    } else if (isSeq(here)) {
      node = here.items[Number(step)];
      offset = startOf(node) ?? offset;
    } else return offset;
  }
  return offset;
}

function startOf(node: unknown): number | undefined {
  return isNode(node) ? node.range?.[0] : undefined;
}
