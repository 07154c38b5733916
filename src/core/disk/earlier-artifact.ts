/** Tells an artifact or a waybill of ours from any other file, by its content. */
import { TO_READ } from './to-read';
import { closeSync, fstatSync, openSync, readSync } from 'node:fs';
import { endsAsArtifact } from '../formats/zip';

const ARTIFACT_ENDINGS = ['.zip'] as const;
const WAYBILL_ENDING = '.waybill.json';
/** Every waybill begins so, whatever its format. */
const WAYBILL_START = /^\{\n {2}"waybill": \d+,\n/;

/** Whether the file is something that an earlier build made: only files with such an ending are opened. */
export function looksLikeArtifact(path: string): boolean {
  const isArchive = ARTIFACT_ENDINGS.some((ending) => path.endsWith(ending));
  if (!isArchive && !path.endsWith(WAYBILL_ENDING)) return false;
  let fd: number | undefined;
  try {
    fd = openSync(path, TO_READ);
    const { size } = fstatSync(fd);
    const length = Math.min(size, 256);
    const bytes = Buffer.alloc(length);
    readSync(fd, bytes, 0, length, isArchive ? size - length : 0);
    return isArchive ? endsAsArtifact(bytes) : WAYBILL_START.test(bytes.toString('utf8'));
  } catch {
    // Whatever is wrong with it comes up when it is read to be packed.
    return false;
  } finally {
    if (fd !== undefined) closeSync(fd);
  }
}
