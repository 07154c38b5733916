/**
 * A linked file is made of parts that stand, one for each module: a part is written, made small and mapped by itself, so
 * that after a change only the parts of what changed are made anew. Their maps are joined to one (ECMA-426).
 */
import { decode, encode, type SourceMapMappings, type SourceMapSegment } from '@jridgewell/sourcemap-codec';

export interface Part {
  /** Ends with a line feed, so that the next part begins a line. */
  readonly text: string;
  readonly map?: PartMap | undefined;
}

/** A source map, as if the part stood alone. */
export interface PartMap {
  readonly sources: readonly string[];
  readonly sourcesContent: readonly (string | null)[];
  readonly names: readonly string[];
  readonly mappings: string;
}

/** What stands around the modules of a linked file. */
export interface Frame {
  /** Path in the artifact. */
  readonly path: string;
  readonly head: string;
  readonly foot: string;
}

/** The text of parts that follow each other, and the JSON of its source map where one is wanted. */
export function joinParts(parts: readonly Part[], withMap: boolean): { text: string; map: string | undefined } {
  const text = parts.map((part) => part.text).join('');
  return { text, map: withMap ? joinedMap(parts) : undefined };
}

/** What a map says, without its version. @param json of a source map */
export function readPartMap(json: string): PartMap {
  const { sources, sourcesContent, names, mappings } = JSON.parse(json) as PartMap;
  return { sources, sourcesContent, names, mappings };
}

/** The JSON of the source map of one part. */
export function partMapJson({ sources, sourcesContent, names, mappings }: PartMap): string {
  return JSON.stringify({ version: 3, names, sources, sourcesContent, mappings, ignoreList: [] });
}

function joinedMap(parts: readonly Part[]): string {
  const sources = new Table();
  const contents: (string | null)[] = [];
  const names = new Table();
  const mappings: SourceMapMappings = [];
  let line = 0;
  for (const { text, map } of parts) {
    if (map !== undefined) {
      const at = map.sources.map((one) => sources.indexOf(one));
      at.forEach((to, from) => (contents[to] = map.sourcesContent[from] ?? null));
      const namedAt = map.names.map((one) => names.indexOf(one));
      for (const [i, segments] of decode(map.mappings).entries())
        mappings[line + i] = segments.map((segment) => moved(segment, at, namedAt));
    }
    line += lineFeeds(text);
  }
  for (let i = 0; i < mappings.length; i++) mappings[i] ??= [];
  return partMapJson({
    sources: sources.all,
    sourcesContent: contents,
    names: names.all,
    mappings: encode(mappings),
  });
}

function moved(segment: SourceMapSegment, sources: readonly number[], names: readonly number[]): SourceMapSegment {
  if (segment.length === 1) return segment;
  const [column, source, line, sourceColumn, name] = segment;
  const to = sources[source] ?? 0;
  return name === undefined ? [column, to, line, sourceColumn] : [column, to, line, sourceColumn, names[name] ?? 0];
}

function lineFeeds(text: string): number {
  let count = 0;
  for (let at = text.indexOf('\n'); at >= 0; at = text.indexOf('\n', at + 1)) count += 1;
  return count;
}

/** Texts by their number, each once. */
class Table {
  readonly all: string[] = [];
  readonly #numbers = new Map<string, number>();

  indexOf(text: string): number {
    const known = this.#numbers.get(text);
    if (known !== undefined) return known;
    this.#numbers.set(text, this.all.length);
    return this.all.push(text) - 1;
  }
}
