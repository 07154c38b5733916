/** Changes a sheet in place: only what is to change, so that everything else keeps its bytes, comments among them. */
import { isMap, isNode, isScalar, parseDocument, stringify, type Pair, type YAMLMap } from 'yaml';

/** A path of keys to what is changed. */
type Keys = readonly string[];

/**
 * Puts another text in place of a value that is a plain text.
 * @returns undefined where there is none, or where it is written in a way that cannot be changed in place
 */
export function replaceText(text: string, at: Keys, written: string): string | undefined {
  const node = pairAt(text, at)?.value;
  if (!isScalar(node) || node.range === undefined || node.range === null || node.anchor !== undefined) return undefined;
  if (node.type === 'BLOCK_LITERAL' || node.type === 'BLOCK_FOLDED') return undefined;
  const [start, end] = node.range;
  return text.slice(0, start) + inFlow(written) + text.slice(end);
}

/**
 * Adds a pair to the mapping at a path; where the mapping is not there, it is made behind a key beside it.
 * @param value as it is to be written
 * @param behind the key after which the mapping is made
 */
export function addPair(
  text: string,
  at: Keys,
  [key, value]: readonly [string, string],
  behind: string,
): string | undefined {
  const line = newLine(text);
  const above = mapAt(text, at.slice(0, -1));
  const name = at.at(-1) ?? '';
  if (above === undefined) return undefined;
  const pair = pairIn(above, name);
  if (pair === undefined && above.flow === true) return addInFlow(text, above, `${name}: { ${key}: ${value} }`);
  const pairLine = (indent: number): string => `${' '.repeat(indent)}${key}: ${value}${line}`;
  if (pair === undefined) {
    const sibling = pairIn(above, behind);
    if (sibling === undefined) return undefined;
    const indent = columnOf(text, startOf(sibling.key));
    return insertLines(text, endOf(sibling), `${' '.repeat(indent)}${name}:${line}${pairLine(indent + 2)}`);
  }
  const map = pair.value;
  if (isScalar(map) && map.value === null)
    return insertLines(text, startOf(pair.key), pairLine(columnOf(text, startOf(pair.key)) + 2));
  if (!isMap(map)) return undefined;
  const last = map.items.at(-1);
  if (map.flow === true) return addInFlow(text, map, `${key}: ${value}`);
  return last === undefined ? undefined : insertLines(text, endOf(last), pairLine(columnOf(text, startOf(last.key))));
}

function addInFlow(text: string, map: YAMLMap, written: string): string {
  const last = map.items.at(-1);
  const at = last === undefined ? (map.range?.[0] ?? 0) + 1 : endOf(last);
  return `${text.slice(0, at)}${last === undefined ? ` ${written} ` : `, ${written}`}${text.slice(at)}`;
}

/** Puts another key in place of one. */
export function renameKey(text: string, at: Keys, key: string): string | undefined {
  const node = pairAt(text, at)?.key;
  if (!isScalar(node) || node.range === undefined || node.range === null) return undefined;
  return text.slice(0, node.range[0]) + inFlow(key) + text.slice(node.range[1]);
}

/** Takes a pair out of the mapping at a path; the mapping too where nothing is left in it. */
export function removePair(text: string, at: Keys): string | undefined {
  const map = mapAt(text, at.slice(0, -1));
  const index = map?.items.findIndex((pair) => keyOf(pair) === at.at(-1)) ?? -1;
  const pair = map?.items[index];
  if (map === undefined || pair === undefined) return undefined;
  if (map.items.length === 1) return removePair(text, at.slice(0, -1)) ?? undefined;
  if (map.flow === true) {
    const [before, after] = [map.items[index - 1], map.items[index + 1]];
    if (after !== undefined) return text.slice(0, startOf(pair.key)) + text.slice(startOf(after.key));
    return text.slice(0, endOf(before ?? pair)) + text.slice(endOf(pair));
  }
  const from = text.lastIndexOf('\n', startOf(pair.key)) + 1;
  return text.slice(0, from) + text.slice(lineEnd(text, endOf(pair)));
}

/** Adds lines behind the last pair of a mapping that stands in a block, with an empty line before them. */
export function appendBlock(text: string, at: Keys, lines: (indent: string) => string): string | undefined {
  const map = mapAt(text, at);
  const last = map?.items.at(-1);
  if (map === undefined || map.flow === true || last === undefined) return undefined;
  const indent = ' '.repeat(columnOf(text, startOf(last.key)));
  const line = newLine(text);
  return insertLines(text, endOf(last), `${line}${lines(indent).replaceAll('\n', line)}${line}`);
}

function inFlow(value: string): string {
  return stringify(value, { collectionStyle: 'flow', lineWidth: 0 }).trimEnd();
}

function pairAt(text: string, at: Keys): Pair | undefined {
  const map = mapAt(text, at.slice(0, -1));
  return map === undefined ? undefined : pairIn(map, at.at(-1) ?? '');
}

function mapAt(text: string, at: Keys): YAMLMap | undefined {
  let node: unknown = parseDocument(text).contents;
  for (const key of at) node = isMap(node) ? pairIn(node, key)?.value : undefined;
  return isMap(node) ? node : undefined;
}

function pairIn(map: YAMLMap, key: string): Pair | undefined {
  return map.items.find((pair) => keyOf(pair) === key);
}

function keyOf({ key }: Pair): string | undefined {
  return isScalar(key) ? String(key.value) : undefined;
}

function startOf(node: unknown): number {
  return isNode(node) ? (node.range?.[0] ?? 0) : 0;
}

/** Behind the last character of a pair that is not a comment or white space. */
function endOf(pair: Pair): number {
  const { value } = pair;
  if (isMap(value) && value.flow !== true) {
    const last = value.items.at(-1);
    if (last !== undefined) return endOf(last);
  }
  const node = isNode(value) ? value : pair.key;
  return isNode(node) ? (node.range?.[1] ?? 0) : 0;
}

/** Puts lines below the one on which an offset stands. */
function insertLines(text: string, at: number, lines: string): string {
  const end = lineEnd(text, at);
  const missing = text.slice(0, end).endsWith('\n') ? '' : newLine(text);
  return text.slice(0, end) + missing + lines + text.slice(end);
}

/** The start of the line after an offset. An offset behind a line break is on the line that it ends. */
function lineEnd(text: string, at: number): number {
  if (at > 0 && text[at - 1] === '\n') return at;
  const end = text.indexOf('\n', at);
  return end < 0 ? text.length : end + 1;
}

function columnOf(text: string, at: number): number {
  return at - (text.lastIndexOf('\n', at - 1) + 1);
}

function newLine(text: string): string {
  return text.includes('\r\n') ? '\r\n' : '\n';
}
