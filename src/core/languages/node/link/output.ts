/** Puts a text together from pieces of others, and notes for its source map where each piece comes from. */
import { GenMapping, maybeAddSegment, setSourceContent, toEncodedMap } from '@jridgewell/gen-mapping';
import { originalPositionFor, TraceMap } from '@jridgewell/trace-mapping';
import { Lines } from '../../../base/lines';
import { readPartMap, type Part } from './parts';

/** A piece of a module's text that is replaced. */
export interface Edit {
  readonly start: number;
  readonly end: number;
  readonly text: string;
}

/** Where a consumer of the map may want to know the exact place. */
const WORD = /[A-Za-z_$][\w$]*/g;

export class Output {
  readonly #parts: string[] = [];
  readonly #map: GenMapping | undefined;
  /** Counting from 0. */
  #line = 0;
  #column = 0;
  #length = 0;

  constructor(withMap: boolean) {
    this.#map = withMap ? new GenMapping() : undefined;
  }

  /** Of the text so far, in UTF-16 units. */
  get length(): number {
    return this.#length;
  }

  get text(): string {
    return this.#parts.join('');
  }

  /** JSON of the source map; undefined where none was wanted. */
  get map(): string | undefined {
    return this.#map === undefined ? undefined : JSON.stringify(toEncodedMap(this.#map));
  }

  /** What was written, as a part of a file. */
  get part(): Part {
    const { text, map } = this;
    return { text, ...(map !== undefined && { map: readPartMap(map) }) };
  }

  /** Text of our own. */
  raw(text: string): void {
    this.#push(text);
    this.#advance(text);
  }

  /** Makes the whole text of a source part of the map. */
  source(name: string, content: () => string): void {
    if (this.#map !== undefined) setSourceContent(this.#map, name, content());
  }

  /** A stretch of a source, with edits inside it applied. */
  copy(source: SourceText, start: number, end: number, edits: readonly Edit[]): void {
    let at = start;
    for (const edit of edits) {
      this.#piece(source, at, edit.start);
      this.#mark(source, edit.start);
      this.raw(edit.text);
      at = edit.end;
    }
    this.#piece(source, at, end);
  }

  #push(text: string): void {
    this.#parts.push(text);
    this.#length += text.length;
  }

  #piece(source: SourceText, start: number, end: number): void {
    if (end <= start) return;
    const text = source.text.slice(start, end);
    this.#push(text);
    if (this.#map === undefined) {
      this.#advance(text);
      return;
    }
    let offset = 0;
    for (const line of text.split('\n')) {
      if (offset > 0) {
        this.#line += 1;
        this.#column = 0;
      }
      this.#mark(source, start + offset);
      for (const { index } of line.matchAll(WORD)) this.#mark(source, start + offset + index, index);
      this.#column += line.length;
      offset += line.length + 1;
    }
  }

  /** @param ahead how many columns after what has been written so far */
  #mark(source: SourceText, at: number, ahead = 0): void {
    if (this.#map === undefined) return;
    const place = source.placeOf(at);
    if (place !== undefined)
      maybeAddSegment(this.#map, this.#line, this.#column + ahead, source.name, place.line, place.column);
  }

  #advance(text: string): void {
    const last = text.lastIndexOf('\n');
    if (last < 0) this.#column += text.length;
    else {
      for (let at = text.indexOf('\n'); at >= 0; at = text.indexOf('\n', at + 1)) this.#line += 1;
      this.#column = text.length - last - 1;
    }
  }
}

export class SourceText {
  readonly name: string;
  readonly text: string;
  readonly #written: TraceMap | undefined;
  readonly #lines: Lines;

  /**
   * @param name as the source map names it
   * @param map where the text was compiled: its own source map, JSON
   */
  constructor(name: string, text: string, map?: string) {
    this.name = name;
    this.text = text;
    this.#lines = new Lines(text);
    this.#written = map === undefined ? undefined : new TraceMap(map);
  }

  /** Line and column, counting from 0, in what a person wrote; undefined for what the compiler added. */
  placeOf(at: number): { line: number; column: number } | undefined {
    const place = this.#lines.placeOf(at);
    if (this.#written === undefined) return place;
    const { line, column } = originalPositionFor(this.#written, { line: place.line + 1, column: place.column });
    return line === null ? undefined : { line: line - 1, column };
  }
}
