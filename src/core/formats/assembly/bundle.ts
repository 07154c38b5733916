/** Applications in one file: a host program with the files of the application behind it ("Single-file bundle" of the host). */
import { createHash } from 'node:crypto';
import { inflateRawSync } from 'node:zlib';
import { Fields } from '../fields';

export interface BundledFile {
  readonly path: string;
  /** Bytes, unpacked. */
  readonly size: number;
  /** @throws RangeError for what leads outside, or unpacks to something else */
  readonly read: () => Uint8Array;
}

/** Where a program has its files, eight bytes before this stand the place of their list. */
const MARK = createHash('sha256').update('.net core bundle\n').digest();
const MOST_FILES = 20_000;
const MOST_PATH = 4096;
const MOST_BYTES = 1024 * 1024 * 1024;

/** @returns undefined for a program that has none @throws RangeError for a list that leads outside the file */
export function readBundle(bytes: Uint8Array): BundledFile[] | undefined {
  const mark = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.length).indexOf(MARK);
  if (mark < 8) return undefined;
  const fields = new Fields(bytes, true);
  const header = long(fields, mark - 8);
  if (header === 0) return undefined;
  const major = fields.u32(header);
  const count = fields.u32(header + 8);
  if (major < 1 || major > 6 || count > MOST_FILES)
    throw new RangeError(`a list of ${String(count)} files, of version ${String(major)}`);
  let at = text(fields, header + 12).end;
  // From version 2 on: where two of the files are, for the host, and flags.
  if (major >= 2) at += 40;
  const files: BundledFile[] = [];
  for (let i = 0; i < count; i++) {
    const [offset, size] = [long(fields, at), long(fields, at + 8)];
    const isPacking = major >= 6;
    const packed = isPacking ? long(fields, at + 16) : 0;
    const path = text(fields, at + (isPacking ? 25 : 17));
    at = path.end;
    files.push({ path: path.text, size, read: () => content(bytes, { offset, size, packed }) });
  }
  return files;
}

function content(
  bytes: Uint8Array,
  { offset, size, packed }: { readonly offset: number; readonly size: number; readonly packed: number },
): Uint8Array {
  const length = packed === 0 ? size : packed;
  if (offset + length > bytes.length || size > MOST_BYTES)
    throw new RangeError('a file outside the program that it is in');
  const stretch = bytes.subarray(offset, offset + length);
  if (packed === 0) return stretch;
  try {
    const whole = inflateRawSync(stretch, { maxOutputLength: Math.max(1, size) });
    if (whole.length === size) return whole;
  } catch {
    // Told below.
  }
  throw new RangeError('a file that unpacks to something else');
}

function long(fields: Fields, at: number): number {
  const value = fields.u32(at) + fields.u32(at + 4) * 2 ** 32;
  if (!Number.isSafeInteger(value)) throw new RangeError('an offset beyond any file');
  return value;
}

/** A length in groups of seven bits, and so many bytes. */
function text(fields: Fields, at: number): { readonly text: string; readonly end: number } {
  let length = 0;
  let place = at;
  for (let shift = 0; ; shift += 7) {
    const group = fields.u8(place++);
    length |= (group & 0x7f) << shift;
    if ((group & 0x80) === 0) break;
    if (shift > 14) throw new RangeError('a name longer than any');
  }
  if (length > MOST_PATH || place + length > fields.bytes.length) throw new RangeError('a name outside the file');
  return { text: Buffer.from(fields.bytes.subarray(place, place + length)).toString('utf8'), end: place + length };
}
