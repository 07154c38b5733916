/** A PE image as its metadata is found in it: what lies at addresses in memory, the CLI header (ECMA-335, II.25). */
import { sourceOfBytes } from '../byte-source';
import { Fields } from '../fields';
import { isPe, readPeHeaders, type PeHeaders } from '../native';

const DEBUG = 6;
const CLI_HEADER = 14;

export interface Span {
  readonly address: number;
  readonly size: number;
}

export class PeImage {
  readonly bytes: Uint8Array;
  /** Where the header has the time of the build, and a checksum over all of it. */
  readonly headerStretches: readonly { readonly at: number; readonly length: number }[];
  readonly #headers: PeHeaders;

  /** @throws RangeError for what is none */
  constructor(bytes: Uint8Array) {
    if (bytes.length < 64 || !isPe(bytes)) throw new RangeError('no PE file');
    this.bytes = bytes;
    this.#headers = readPeHeaders(sourceOfBytes(bytes));
    const { at, sections } = this.#headers;
    this.headerStretches = [
      { at: at + 8, length: 4 },
      { at: at + 24 + 64, length: 4 },
    ];
    if (sections.some(({ offset, size }) => offset + size > bytes.length))
      throw new RangeError('a section that leads outside the file: it was cut off');
  }

  get machine(): number {
    return this.#headers.machine;
  }

  get cliHeader(): Span | undefined {
    return this.#headers.directory(CLI_HEADER);
  }

  get debugDirectory(): Span | undefined {
    return this.#headers.directory(DEBUG);
  }

  /** What lies at an address in memory. @throws RangeError where that is in no section, or outside the file */
  at({ address, size }: Span): Fields {
    const section = this.#headers.sections.find(
      (one) => address >= one.address && address < one.address + Math.max(one.inMemory, one.size),
    );
    if (section === undefined) throw new RangeError('an address in no section');
    const from = section.offset + (address - section.address);
    if (from + size > this.bytes.length) throw new RangeError('an address outside the file');
    return new Fields(this.bytes.subarray(from, from + size), true);
  }
}
