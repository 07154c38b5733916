/** What the directory of an archive alone says of its entries: enough to weigh them, and quick. */
import type { ByteSource } from '../byte-source';
import { readDirectory } from './directory';
import { kindOf, nameOf, unixModeOf, type EntryKind } from './entry-head';
import * as zip from './layout';

export interface ListedEntry {
  /** Without the `/` at a folder's end. */
  readonly path: string;
  readonly kind: EntryKind;
  /** Bytes, unpacked. */
  readonly size: number;
  /** Type and permission bits; 0 where the archive does not say. */
  readonly unixMode: number;
  /** Bytes of the archive that are spent on it: headers, content, its record in the directory. */
  readonly spent: number;
}

/** What the directory alone says of each entry, without looking at any: enough to weigh them, and quick. */
export function listEntries(source: ByteSource, name: string): ListedEntry[] {
  const { entries, offset } = readDirectory(source, name);
  // What stands from one header to the next belongs to the first of the two.
  const starts = Float64Array.from(entries, ({ localHeaderOffset }) => localHeaderOffset).sort();
  const ends = new Map(Array.from(starts, (start, i) => [start, starts[i + 1] ?? offset]));
  return entries.map((raw) => {
    const path = nameOf(raw);
    const unixMode = unixModeOf(raw);
    const record = zip.CENTRAL_HEADER.size + raw.rawName.length + raw.extraFieldLength;
    return {
      path: path.endsWith('/') ? path.slice(0, -1) : path,
      kind: kindOf(path, unixMode, ignore),
      unixMode,
      size: raw.uncompressedSize,
      spent: Math.max(0, (ends.get(raw.localHeaderOffset) ?? 0) - raw.localHeaderOffset) + record,
    };
  });
}

function ignore(): void {
  // What is wrong with an entry is for those to tell who unpack it.
}
