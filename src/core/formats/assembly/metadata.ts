/** CLI metadata: its streams, its heaps, its tables (ECMA-335, II.24). */
import { Fields } from '../fields';
import { decoded, Tables, type CodedName, type RowOf, type TableName } from './tables';

const SIGNATURE = 0x424a5342;
const MOST_STREAMS = 16;
const MOST_NAME = 4096;

export class Metadata {
  readonly tables: Tables;
  /** `v4.0.30319`. */
  readonly version: string;
  /** The heap of identifiers, sixteen bytes each; the first is of this very build. */
  readonly guids: Uint8Array;
  readonly #strings: Uint8Array;
  readonly #blobs: Uint8Array;
  readonly #userStrings: Uint8Array;

  /** @throws RangeError for what is none */
  constructor(root: Fields) {
    if (root.u32(0) !== SIGNATURE) throw new RangeError('metadata without its signature');
    const length = root.u32(12);
    if (length > 256) throw new RangeError('a version without an end');
    this.version = Buffer.from(root.bytes.subarray(16, 16 + length))
      .toString('utf8')
      .replace(/\0.*$/s, '');
    const streams = streamsOf(root, 16 + length);
    const tables = streams.get('#~') ?? streams.get('#-');
    if (tables === undefined) throw new RangeError('metadata without tables');
    this.tables = new Tables(new Fields(tables, true));
    const none = new Uint8Array();
    this.guids = streams.get('#GUID') ?? none;
    this.#strings = streams.get('#Strings') ?? none;
    this.#blobs = streams.get('#Blob') ?? none;
    this.#userStrings = streams.get('#US') ?? none;
  }

  /** A text of the heap of names. */
  name(table: TableName, row: number, column: number): string {
    const at = this.tables.cell(table, row, column);
    const end = this.#strings.indexOf(0, at);
    if (at >= this.#strings.length || end < 0 || end - at > MOST_NAME) throw new RangeError('a name outside its heap');
    return Buffer.from(this.#strings.buffer, this.#strings.byteOffset + at, end - at).toString('utf8');
  }

  blob(table: TableName, row: number, column: number): Uint8Array {
    return lengthed(this.#blobs, this.tables.cell(table, row, column));
  }

  reference(table: TableName, row: number, column: number, coded: CodedName): RowOf | undefined {
    return decoded(coded, this.tables.cell(table, row, column));
  }

  /** A text that code loads, by its token (II.24.2.4): UTF-16 and a byte. */
  userString(at: number): string {
    const bytes = lengthed(this.#userStrings, at);
    return Buffer.from(bytes.subarray(0, bytes.length & ~1)).toString('utf16le');
  }

  /** All of those texts, as far as the heap is sound. */
  *userStrings(): Generator<string> {
    for (let at = 1; at < this.#userStrings.length;) {
      const [length, width] = compressed(this.#userStrings, at);
      if (at + width + length > this.#userStrings.length) return;
      if (length > 0) yield this.userString(at);
      at += width + length;
    }
  }
}

function streamsOf(root: Fields, at: number): Map<string, Uint8Array> {
  const count = root.u16(at + 2);
  if (count > MOST_STREAMS) throw new RangeError('more streams than there are kinds');
  const streams = new Map<string, Uint8Array>();
  let header = at + 4;
  for (let i = 0; i < count; i++) {
    const [offset, size] = [root.u32(header), root.u32(header + 4)];
    const name = root.text(header + 8);
    if (offset + size > root.bytes.length) throw new RangeError(`the stream ${name} leads outside the metadata`);
    streams.set(name, root.bytes.subarray(offset, offset + size));
    header += 8 + ((name.length + 4) & ~3);
  }
  return streams;
}

/** II.23.2 and II.24.2.4: a length in one, two or four bytes, and so many. */
function lengthed(heap: Uint8Array, at: number): Uint8Array {
  const [length, width] = compressed(heap, at);
  if (at + width + length > heap.length) throw new RangeError('a blob outside its heap');
  return heap.subarray(at + width, at + width + length);
}

/** II.23.2: an unsigned number, and how many bytes it takes. */
export function compressed(bytes: Uint8Array, at: number): readonly [value: number, width: number] {
  const first = bytes[at];
  if (first === undefined) throw new RangeError('a number outside its heap');
  const byte = (i: number): number => bytes[at + i] ?? 0;
  if ((first & 0x80) === 0) return [first, 1];
  if ((first & 0xc0) === 0x80) return [((first & 0x3f) << 8) | byte(1), 2];
  return [((first & 0x1f) << 24) | (byte(1) << 16) | (byte(2) << 8) | byte(3), 4];
}
