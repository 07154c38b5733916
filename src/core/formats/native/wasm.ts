/** What a WebAssembly module imports (WebAssembly Core Specification, "Binary Format"). */
import { stretchOf, type ByteSource } from '../byte-source';
import type { NativeInfo } from './model';

const IMPORT_SECTION = 2;
const MAX_IMPORTS = 65_536;
const MAX_SECTION = 64 * 1024 * 1024;

/** Whether bytes begin as a WebAssembly module does (WebAssembly Core 5.5.16). */
export function isWasm(start: Uint8Array): boolean {
  return start.length >= 4 && Buffer.from(start.subarray(0, 4)).toString('latin1') === '\0asm';
}

/** @throws RangeError for a module that ends too early */
export function readWasm(source: ByteSource): NativeInfo {
  stretchOf(source, 0, 8);
  let needs: string[] = [];
  for (let at = 8; at < source.size;) {
    const head = new Reader(stretchOf(source, at, Math.min(6, source.size - at)));
    const id = head.byte();
    const size = head.number();
    if (id === IMPORT_SECTION)
      needs = readImports(new Reader(stretchOf(source, at + head.at, Math.min(size, MAX_SECTION))));
    at += head.at + size;
    if (at > source.size) throw new RangeError('a section that leads outside the module');
  }
  return { format: 'WebAssembly', system: 'any', kind: 'module', machines: [{ name: 'wasm', bits: 32 }], needs };
}

/** Modules that are imported from, each once. */
function readImports(reader: Reader): string[] {
  const modules = new Set<string>();
  const count = reader.number();
  if (count > MAX_IMPORTS) throw new RangeError('more imports than any module has');
  for (let i = 0; i < count; i++) {
    modules.add(reader.text());
    reader.text();
    reader.skipDescription();
  }
  return [...modules];
}

class Reader {
  at = 0;
  readonly #bytes: Buffer;

  constructor(bytes: Uint8Array) {
    this.#bytes = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.length);
  }

  byte(): number {
    return this.#bytes.readUInt8(this.at++);
  }

  /** An unsigned number of at most 32 bits, seven bits a byte. */
  number(): number {
    let value = 0;
    for (let shift = 0; shift < 35; shift += 7) {
      const byte = this.byte();
      value += (byte & 0x7f) * 2 ** shift;
      if ((byte & 0x80) === 0) return value;
    }
    throw new RangeError('a number that does not end');
  }

  text(): string {
    const length = this.number();
    if (this.at + length > this.#bytes.length) throw new RangeError('a name that leads outside the module');
    const text = this.#bytes.toString('utf8', this.at, this.at + length);
    this.at += length;
    return text;
  }

  /** What is imported: function (a type), table (reference type, limits), memory (limits), global (type, mutable), tag. */
  skipDescription(): void {
    const kind = this.byte();
    if (kind === 1) this.byte();
    if (kind === 0) this.number();
    else if (kind === 1 || kind === 2) this.#skipLimits();
    else {
      this.byte();
      this.number();
    }
  }

  #skipLimits(): void {
    const hasMost = (this.byte() & 1) !== 0;
    this.number();
    if (hasMost) this.number();
  }
}
