/** A PE image as its metadata is found in it: headers, sections, the CLI header (Microsoft PE and COFF; ECMA-335, II.25). */
import { Fields } from '../fields';

const PE_OFFSET_AT = 0x3c;
const SIGNATURE = 0x4550;
const MAGIC_64 = 0x20b;
const MAGIC_32 = 0x10b;
const DEBUG = 6;
const CLI_HEADER = 14;
const MOST_SECTIONS = 96;
const SECTION_BYTES = 40;

interface Section {
  readonly address: number;
  readonly size: number;
  readonly offset: number;
  readonly stored: number;
}

export interface Span {
  readonly address: number;
  readonly size: number;
}

export class PeImage {
  readonly machine: number;
  readonly is64: boolean;
  readonly timestamp: number;
  readonly bytes: Uint8Array;
  /** Where the header has the time of the build, and a checksum over all of it. */
  readonly headerStretches: readonly { readonly at: number; readonly length: number }[];
  readonly #optional: Fields;
  readonly #sections: readonly Section[];

  /** @throws RangeError for what is none */
  constructor(bytes: Uint8Array) {
    const all = new Fields(bytes, true);
    if (bytes.length < 64 || all.u16(0) !== 0x5a4d) throw new RangeError('no PE file');
    const at = all.u32(PE_OFFSET_AT);
    if (all.u32(at) !== SIGNATURE) throw new RangeError('a program of DOS only');
    const count = all.u16(at + 6);
    const optionalSize = all.u16(at + 20);
    if (count > MOST_SECTIONS) throw new RangeError('more sections than the format allows');
    this.bytes = bytes;
    this.headerStretches = [
      { at: at + 8, length: 4 },
      { at: at + 24 + 64, length: 4 },
    ];
    this.machine = all.u16(at + 4);
    this.timestamp = all.u32(at + 8);
    this.#optional = new Fields(bytes.subarray(at + 24, at + 24 + optionalSize), true);
    const magic = this.#optional.u16(0);
    if (magic !== MAGIC_32 && magic !== MAGIC_64) throw new RangeError('an optional header of no known shape');
    this.is64 = magic === MAGIC_64;
    const table = at + 24 + optionalSize;
    this.#sections = Array.from({ length: count }, (_, i) => ({
      size: all.u32(table + i * SECTION_BYTES + 8),
      address: all.u32(table + i * SECTION_BYTES + 12),
      stored: all.u32(table + i * SECTION_BYTES + 16),
      offset: all.u32(table + i * SECTION_BYTES + 20),
    }));
    if (this.#sections.some(({ offset, stored }) => offset + stored > bytes.length))
      throw new RangeError('a section that leads outside the file: it was cut off');
  }

  get cliHeader(): Span | undefined {
    return this.#directory(CLI_HEADER);
  }

  get debugDirectory(): Span | undefined {
    return this.#directory(DEBUG);
  }

  #directory(number: number): Span | undefined {
    const countAt = this.is64 ? 108 : 92;
    const at = countAt + 4 + number * 8;
    if (this.#optional.bytes.length < at + 8 || this.#optional.u32(countAt) <= number) return undefined;
    const span = { address: this.#optional.u32(at), size: this.#optional.u32(at + 4) };
    return span.address === 0 ? undefined : span;
  }

  /** What lies at an address in memory. @throws RangeError where that is in no section, or outside the file */
  at({ address, size }: Span): Fields {
    const section = this.#sections.find(
      (one) => address >= one.address && address < one.address + Math.max(one.size, one.stored),
    );
    if (section === undefined) throw new RangeError('an address in no section');
    const from = section.offset + (address - section.address);
    if (from + size > this.bytes.length) throw new RangeError('an address outside the file');
    return new Fields(this.bytes.subarray(from, from + size), true);
  }

  /** What lies from an address on, to the end of its section. */
  from(address: number): Fields {
    const section = this.#sections.find(
      (one) => address >= one.address && address < one.address + Math.max(one.size, one.stored),
    );
    if (section === undefined) throw new RangeError('an address in no section');
    const end = Math.min(this.bytes.length, section.offset + section.stored);
    return new Fields(this.bytes.subarray(section.offset + (address - section.address), end), true);
  }
}
