/** Text: a unified difference, within bounds; JSON and YAML by their paths. */
import { structuredPatch } from 'diff';
import { parseAllDocuments } from 'yaml';
import type { ByteSource } from '../../formats/byte-source';
import type { Comparer, Detail, Looked } from '../../forms/comparing';
import { pathCause } from './paths-in';

const MOST_TEXT_BYTES = 4 * 1024 ** 2;
const MOST_LINES = 60;
const MOST_DETAILS = 60;
/** Longer lines are cut: minified code is one line. */
const MOST_LETTERS = 200;
const MOST_EDITS = 4000;
const LOOK_AT_BYTES = 8192;

/** The text of a content; undefined where it is none, or too long to be looked into. */
export function textOf(source: ByteSource): string | undefined {
  if (source.size > MOST_TEXT_BYTES) return undefined;
  if (source.read(0, Math.min(LOOK_AT_BYTES, source.size)).includes(0)) return undefined;
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(source.read(0, source.size));
  } catch {
    return undefined;
  }
}

export const asText: Comparer = (a, b, comparing, where) => {
  const [x, y] = [textOf(a.source), textOf(b.source)];
  if (x === undefined || y === undefined) return undefined;
  const cause = pathCause(x, y);
  if (cause !== undefined) comparing.note('path', where, cause.a, cause.b);
  const structured = /\.(?:json|ya?ml)$/i.test(a.name) ? asStructure(a.name, x, y) : undefined;
  const looked = structured ?? { as: 'text', lines: unified(x, y) };
  return cause?.isAll === true ? { ...looked, cause: 'path' } : looked;
};

function unified(a: string, b: string): string[] {
  const ending = (text: string): string => (text.includes('\r\n') ? 'CR LF' : 'LF');
  // The end of a line is told once, not with every line.
  const plain = (text: string): string => text.replaceAll('\r\n', '\n');
  const patch = structuredPatch('', '', plain(a), plain(b), '', '', { context: 2, maxEditLength: MOST_EDITS });
  if (patch === undefined) return ['too much differs to be shown line by line'];
  const lines = patch.hunks.flatMap(({ oldStart, newStart, lines: own }) => [
    `@@ line ${String(oldStart)} → line ${String(newStart)}`,
    ...own.map((line) => (line.length > MOST_LETTERS ? `${line.slice(0, MOST_LETTERS)}…` : line)),
  ]);
  if (ending(a) !== ending(b)) lines.unshift(`@@ lines end with ${ending(a)} → ${ending(b)}`);
  const more = lines.length - MOST_LINES;
  return more > 0 ? [...lines.slice(0, MOST_LINES), `… and ${String(more)} more lines`] : lines;
}

function asStructure(name: string, a: string, b: string): Looked | undefined {
  const as = /json$/i.test(name) ? 'JSON' : 'YAML';
  const [x, y] = [parsed(as, a), parsed(as, b)];
  if (x === undefined || y === undefined) return undefined;
  const details = [...structureDetails('', x.value, y.value)];
  if (details.length === 0) return { as, details: [{ what: 'layout', a: 'one', b: 'another; it says the same' }] };
  const more = details.length - MOST_DETAILS;
  const rest = more > 0 ? [{ what: `and ${String(more)} more`, a: '', b: '' }] : [];
  return { as, details: [...details.slice(0, MOST_DETAILS), ...rest] };
}

function parsed(as: 'JSON' | 'YAML', text: string): { readonly value: unknown } | undefined {
  try {
    if (as === 'JSON') return { value: JSON.parse(text) as unknown };
    const documents = parseAllDocuments(text);
    if (!Array.isArray(documents) || documents.some(({ errors }) => errors.length > 0)) return undefined;
    const values = documents.map((one) => one.toJS({ maxAliasCount: 100 }) as unknown);
    return { value: values.length === 1 ? values[0] : values };
  } catch {
    return undefined;
  }
}

/** Values by their JSON Pointers (RFC 6901). */
function* structureDetails(path: string, a: unknown, b: unknown): Generator<Detail> {
  if (isHolder(a) && isHolder(b) && Array.isArray(a) === Array.isArray(b)) {
    for (const key of new Set([...Object.keys(a), ...Object.keys(b)]))
      yield* structureDetails(`${path}/${key.replaceAll('~', '~0').replaceAll('/', '~1')}`, own(a, key), own(b, key));
    return;
  }
  if (JSON.stringify(a) !== JSON.stringify(b)) yield { what: path === '' ? '/' : path, a: shown(a), b: shown(b) };
}

function isHolder(value: unknown): value is object {
  return typeof value === 'object' && value !== null;
}

function own(holder: object, key: string): unknown {
  return Object.hasOwn(holder, key) ? (holder as Record<string, unknown>)[key] : undefined;
}

function shown(value: unknown): string {
  if (value === undefined) return 'nothing';
  const text = JSON.stringify(value);
  return text.length > MOST_LETTERS ? `${text.slice(0, MOST_LETTERS)}…` : text;
}
