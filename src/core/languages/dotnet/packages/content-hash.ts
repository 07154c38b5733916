/**
 * The digest by which locks of the ecosystem know a package: SHA-512 of its archive as it was before a signature was put
 * in ("Signed packages technical details"), so that the same content has the same digest whoever signed it.
 */
import { createHash } from 'node:crypto';
import { Fields } from '../../../formats/fields';

export const SIGNATURE = '.signature.p7s';
const [CENTRAL, END] = [0x02014b50, 0x06054b50];
const [CENTRAL_BYTES, END_BYTES] = [46, 22];

interface Row {
  readonly record: Buffer;
  readonly name: string;
  readonly local: number;
}

/** In base 64. @throws RangeError for what is no archive */
export function contentHash(bytes: Buffer): string {
  const hash = createHash('sha512');
  const end = bytes.length - END_BYTES;
  const fields = new Fields(bytes, true);
  const rows = end >= 0 && fields.u32(end) === END ? rowsOf(bytes, fields.u16(end + 10), fields.u32(end + 16)) : [];
  const signature = rows.find(({ name }) => name === SIGNATURE);
  // Archives with a comment, or without a signature, are as they were.
  if (signature === undefined) return hash.update(bytes).digest('base64');
  const directory = fields.u32(end + 16);
  const size = fields.u32(end + 12) - signature.record.length;
  const after = Math.min(directory, ...rows.map(({ local }) => local).filter((local) => local > signature.local));
  const signed = after - signature.local;
  if (signed < 0 || directory < after || size < 0) throw new RangeError('parts of the archive that overlap');
  hash.update(bytes.subarray(0, signature.local)).update(bytes.subarray(after, directory));
  for (const { record, local } of rows.filter((row) => row !== signature)) {
    const moved = Buffer.from(record);
    if (local > signature.local) moved.writeUInt32LE(local - signed, 42);
    hash.update(moved);
  }
  const last = Buffer.from(bytes.subarray(end));
  for (const at of [8, 10]) last.writeUInt16LE(rows.length - 1, at);
  last.writeUInt32LE(size, 12);
  last.writeUInt32LE(directory - signed, 16);
  return hash.update(last).digest('base64');
}

function rowsOf(bytes: Buffer, count: number, start: number): Row[] {
  const rows: Row[] = [];
  const fields = new Fields(bytes, true);
  for (let at = start, i = 0; i < count; i++) {
    if (fields.u32(at) !== CENTRAL) throw new RangeError('a directory of the archive that is none');
    const name = fields.u16(at + 28);
    const length = CENTRAL_BYTES + name + fields.u16(at + 30) + fields.u16(at + 32);
    const record = bytes.subarray(at, at + length);
    const text = record.subarray(CENTRAL_BYTES, CENTRAL_BYTES + name).toString('utf8');
    rows.push({ record, name: text, local: fields.u32(at + 42) });
    at += length;
  }
  return rows;
}
