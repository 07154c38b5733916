/** Says where two zip archives first differ, in the format's own terms. */
import { printable } from '../../base/text';
import { byteAt, firstDifferentByte, type ByteSource } from '../byte-source';
import { formatDosTime } from './dos-time';
import { openZip, type ZipEntry } from './reader';

export interface ZipDifference {
  /** The entry, or undefined where the difference is outside the entries. */
  readonly entry?: string;
  readonly field: string;
  readonly first: string;
  readonly second: string;
}

/** The first entry and field that differ, in archive order; undefined when the bytes are the same. */
export function firstZipDifference(a: ByteSource, b: ByteSource): ZipDifference | undefined {
  const differs = firstDifferentByte(a, b);
  if (differs === undefined) return undefined;
  const [first, second] = [openZip(a, 'the first archive').entries, openZip(b, 'the second archive').entries];
  for (let i = 0; i < Math.max(first.length, second.length); i++) {
    const difference = compareEntries(first[i], second[i]);
    if (difference !== undefined) return difference;
  }
  const owner = first.find((e) => differs >= e.dataOffset && differs < e.dataOffset + e.compressedSize);
  const place = { field: `byte ${String(differs)}`, first: byteAt(a, differs), second: byteAt(b, differs) };
  return owner === undefined
    ? place
    : { entry: printable(owner.path), ...place, field: `packed data at ${place.field}` };
}

function compareEntries(a: ZipEntry | undefined, b: ZipEntry | undefined): ZipDifference | undefined {
  if (a?.path !== b?.path)
    return { field: 'entry name', first: printable(a?.path ?? '(none)'), second: printable(b?.path ?? '(none)') };
  if (a === undefined || b === undefined) return undefined;
  const fields: [string, (entry: ZipEntry) => string][] = [
    ['kind', (e) => e.kind],
    ['mode', (e) => (e.mode === undefined ? 'none' : `0${e.mode.toString(8)}`)],
    ['time', (e) => formatDosTime(e.time)],
    ['size', (e) => `${String(e.size)} bytes`],
    ['CRC-32', (e) => e.crc32.toString(16).padStart(8, '0')],
    ['method', (e) => String(e.method)],
    ['packed size', (e) => `${String(e.compressedSize)} bytes`],
  ];
  for (const [field, show] of fields)
    if (show(a) !== show(b)) return { entry: printable(a.path), field, first: show(a), second: show(b) };
  return undefined;
}
