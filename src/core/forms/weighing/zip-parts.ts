/** What the entries of a zip archive weigh, each with its headers: together they are the archive. */
import type { ListedEntry } from '../../formats/zip';
import { looksLikeProgram } from './kinds';

export interface PlainPart {
  readonly path: string;
  readonly kind: 'file' | 'link' | 'folder' | 'frame';
  readonly unpacked: number;
  readonly packed: number;
  readonly isProgram?: boolean;
  readonly layer?: string;
}

/** @param size bytes of the archive */
export function zipParts(size: number, entries: readonly ListedEntry[]): PlainPart[] {
  let rest = size;
  const parts = entries.map(({ path, kind, unixMode, size: unpacked, spent }): PlainPart => {
    // In archives that nobody vouches for, entries may claim the same bytes: each counts once.
    const packed = Math.min(spent, rest);
    rest -= packed;
    const isProgram = kind === 'file' && looksLikeProgram(path, unixMode);
    return { path, kind, unpacked, packed, isProgram };
  });
  return [...parts, { path: 'the archive’s own records', kind: 'frame', unpacked: 0, packed: rest }];
}
