/** Makes small ELF files of every word size and byte order, well-formed unless a test spoils them. */

export interface ElfParts {
  readonly bits?: 32 | 64;
  readonly littleEndian?: boolean;
  readonly machine?: number;
  readonly type?: number;
  readonly interpreter?: string;
  readonly soname?: string;
  readonly needed?: readonly string[];
  readonly runpath?: string;
  readonly rpath?: string;
  /** Versions by library. */
  readonly versions?: Readonly<Record<string, readonly string[]>>;
  /** Flags of the stack and of the loaded segment: 1 executable, 2 writable, 4 readable. */
  readonly stack?: number;
  readonly load?: number;
  /** A segment that is made read-only, so many bytes beyond what is loaded. */
  readonly relroBeyond?: number;
  /** Level of x86-64 that its note asks for. */
  readonly x86Level?: number;
  /** Sections that are not loaded, by name. */
  readonly sections?: Readonly<Record<string, string>>;
  /** More text that is loaded. */
  readonly text?: string;
}

export const X86_64 = 62;
export const ARM64 = 183;
const SECTION = { 64: 64, 32: 40 } as const;

class Writer {
  readonly parts: Buffer[] = [];
  length = 0;
  readonly #is64: boolean;
  readonly #little: boolean;

  constructor(is64: boolean, little: boolean) {
    this.#is64 = is64;
    this.#little = little;
  }

  put(bytes: Buffer): number {
    const at = this.length;
    this.parts.push(bytes);
    this.length += bytes.length;
    return at;
  }

  align(to: number): number {
    this.put(Buffer.alloc((to - (this.length % to)) % to));
    return this.length;
  }

  /** Numbers of 2, 4 and 8 bytes; 0 bytes stand for a word. */
  record(...fields: readonly (readonly [bytes: 2 | 4 | 8 | 0, value: number])[]): Buffer {
    return Buffer.concat(
      fields.map(([width, value]) => {
        const bytes = Buffer.alloc(width === 0 ? (this.#is64 ? 8 : 4) : width);
        if (bytes.length === 8 && this.#little) bytes.writeBigUInt64LE(BigInt(value));
        else if (bytes.length === 8) bytes.writeBigUInt64BE(BigInt(value));
        else if (this.#little) bytes.writeUIntLE(value, 0, bytes.length);
        else bytes.writeUIntBE(value, 0, bytes.length);
        return bytes;
      }),
    );
  }
}

class Strings {
  text = '\0';

  add(name: string): number {
    const at = this.text.length;
    this.text += `${name}\0`;
    return at;
  }
}

interface Segment {
  readonly type: number;
  readonly flags: number;
  readonly at: number;
  readonly size: number;
}

export function makeElf(parts: ElfParts = {}): Buffer {
  const { bits = 64, littleEndian = true } = parts;
  const out = new Writer(bits === 64, littleEndian);
  const [headerBytes, segmentBytes] = bits === 64 ? [64, 56] : [52, 32];
  out.put(Buffer.alloc(headerBytes + 5 * segmentBytes));
  const inside = [...putInterpreter(out, parts), ...putNote(out, parts), ...putDynamic(out, parts)];
  const segments: Segment[] = [
    { type: 1, flags: parts.load ?? 5, at: 0, size: out.length },
    ...inside,
    ...(parts.relroBeyond === undefined
      ? []
      : [{ type: 0x6474e552, flags: 4, at: 0, size: out.length + parts.relroBeyond }]),
    ...(parts.stack === undefined ? [] : [{ type: 0x6474e551, flags: parts.stack, at: 0, size: 0 }]),
  ];
  const table = putSections(out, parts.sections ?? {});
  const bytes = Buffer.concat(out.parts);
  writeHeaders(out, parts, segments, table).copy(bytes);
  return bytes;
}

function writeHeaders(
  out: Writer,
  { bits = 64, littleEndian = true, machine = X86_64, type = 3 }: ElfParts,
  segments: readonly Segment[],
  table: { readonly at: number; readonly count: number },
): Buffer {
  const is64 = bits === 64;
  const [headerBytes, segmentBytes] = is64 ? [64, 56] : [52, 32];
  const ident = Buffer.alloc(16);
  Buffer.from([0x7f, 0x45, 0x4c, 0x46, is64 ? 2 : 1, littleEndian ? 1 : 2, 1]).copy(ident);
  return Buffer.concat([
    ident,
    out.record([2, type], [2, machine], [4, 1], [0, 0], [0, headerBytes], [0, table.at], [4, 0], [2, headerBytes]),
    out.record([2, segmentBytes], [2, segments.length], [2, SECTION[bits]], [2, table.count], [2, table.count - 1]),
    ...segments.map(({ type: kind, flags, at, size }) =>
      is64
        ? out.record([4, kind], [4, flags], [8, at], [8, at], [8, at], [8, size], [8, size], [8, 1])
        : out.record([4, kind], [4, at], [4, at], [4, at], [4, size], [4, size], [4, flags], [4, 1]),
    ),
  ]);
}

function putInterpreter(out: Writer, { interpreter }: ElfParts): Segment[] {
  if (interpreter === undefined) return [];
  const bytes = Buffer.from(`${interpreter}\0`);
  return [{ type: 3, flags: 4, at: out.put(bytes), size: bytes.length }];
}

function putNote(out: Writer, { x86Level }: ElfParts): Segment[] {
  if (x86Level === undefined) return [];
  out.align(8);
  const property = out.record([4, 0xc0008002], [4, 4], [4, 2 ** x86Level - 1], [4, 0]);
  const note = Buffer.concat([out.record([4, 4], [4, property.length], [4, 5]), Buffer.from('GNU\0'), property]);
  return [{ type: 0x6474e553, flags: 4, at: out.put(note), size: note.length }];
}

function putDynamic(out: Writer, parts: ElfParts): Segment[] {
  const strings = new Strings();
  const named: readonly (readonly [tag: number, text: string | undefined])[] = [
    ...(parts.needed ?? []).map((name) => [1, name] as const),
    [14, parts.soname],
    [15, parts.rpath],
    [29, parts.runpath],
  ];
  const tags = named.flatMap(([tag, text]) => (text === undefined ? [] : [[tag, strings.add(text)] as const]));
  const versions = versionRecords(out, strings, parts.versions ?? {});
  if (versions.length > 0) {
    out.align(8);
    tags.push([0x6ffffffe, out.put(Buffer.concat(versions))], [0x6fffffff, versions.length]);
  }
  out.put(Buffer.from(parts.text ?? 'smooth water\0'));
  if (tags.length === 0) return [];
  const stringsAt = out.put(Buffer.from(strings.text, 'latin1'));
  const at = out.align(8);
  const dynamic = [...tags, [5, stringsAt] as const, [10, strings.text.length] as const, [0, 0] as const];
  const bytes = Buffer.concat(dynamic.map(([tag, value]) => out.record([0, tag], [0, value])));
  out.put(bytes);
  return [{ type: 2, flags: 6, at, size: bytes.length }];
}

function versionRecords(out: Writer, strings: Strings, versions: NonNullable<ElfParts['versions']>): Buffer[] {
  const needs = Object.entries(versions);
  return needs.map(([file, names], i) => {
    const next = i + 1 < needs.length ? 16 + 16 * names.length : 0;
    return Buffer.concat([
      out.record([2, 1], [2, names.length], [4, strings.add(file)], [4, 16], [4, next]),
      ...names.map((name, j) =>
        out.record([4, 0], [2, 0], [2, j + 2], [4, strings.add(name)], [4, j + 1 < names.length ? 16 : 0]),
      ),
    ]);
  });
}

/** An empty one, one that is loaded, those that are asked for, and the names of all. */
function putSections(
  out: Writer,
  sections: Readonly<Record<string, string>>,
): { readonly at: number; readonly count: number } {
  const loadedEnd = out.length;
  const names = new Strings();
  const header = (name: number, kind: number, flags: number, at: number, size: number): Buffer =>
    out.record([4, name], [4, kind], [0, flags], [0, 0], [0, at], [0, size], [4, 0], [4, 0], [0, 1], [0, 0]);
  const headers = [header(0, 0, 0, 0, 0), header(names.add('.text'), 1, 6, loadedEnd - 4, 4)];
  for (const [name, content] of Object.entries(sections)) {
    const kind = name === '.symtab' ? 2 : name === '.strtab' ? 3 : 1;
    headers.push(header(names.add(name), kind, 0, out.put(Buffer.from(content)), content.length));
  }
  const own = names.add('.shstrtab');
  const at = out.put(Buffer.from(names.text, 'latin1'));
  headers.push(header(own, 3, 0, at, names.text.length));
  out.align(8);
  return { at: out.put(Buffer.concat(headers)), count: headers.length };
}
