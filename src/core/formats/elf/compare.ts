/** Says where two executables first differ, in the format's own terms. */
import { byteAt, firstDifferentByte, type ByteSource } from '../byte-source';
import { sectionAt } from './symbols';

export interface ElfDifference {
  readonly field: string;
  readonly first: string;
  readonly second: string;
}

/** The first byte that differs, and the section that it is in; undefined where the files are the same. */
export function firstElfDifference(a: ByteSource, b: ByteSource): ElfDifference | undefined {
  const at = firstDifferentByte(a, b);
  if (at === undefined) return undefined;
  const section = sectionAt(a, at);
  const where = section === undefined ? '' : ` in ${section}`;
  return { field: `byte ${String(at)}${where}`, first: byteAt(a, at), second: byteAt(b, at) };
}
