/** Reads the text files that people write, within bounds, with one clear error for whatever is wrong with them. */
import { closeSync, fstatSync, openSync, readSync } from 'node:fs';
import { TO_READ } from './to-read';
import { EmballageError, messageOf, systemCode, type ErrorCode } from '../base/errors';
import { formatSize } from '../base/units';

export interface TextRequest {
  /** What is being done, for messages: `reading the packing sheet`. */
  readonly doing: string;
  /** The name shown in messages. */
  readonly shown: string;
  readonly maxBytes: number;
  /** How to mend it when the file is missing. */
  readonly mendMissing: string;
}

/** The file's text, which must be UTF-8; a byte order mark is dropped. */
export function readTextFile(path: string, request: TextRequest): string {
  const bytes = readBytes(path, request);
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch (cause) {
    const at = firstBadByte(bytes);
    const found = `bytes that are not UTF-8, the first on line ${String(at.line)}, column ${String(at.column)}`;
    throw wrong('FILE_NOT_TEXT', request, 'text in UTF-8', found, 'save the file as UTF-8', cause);
  }
}

function readBytes(path: string, request: TextRequest): Buffer {
  let fd: number | undefined;
  try {
    fd = openSync(path, TO_READ);
    const stat = fstatSync(fd);
    if (stat.isDirectory()) throw wrong('FILE_UNREADABLE', request, 'a file', 'a folder', 'name the file in it');
    if (!stat.isFile()) throw wrong('FILE_UNREADABLE', request, 'a file', 'a device, pipe or socket', 'name a file');
    if (stat.size > request.maxBytes) {
      const most = `at most ${formatSize(request.maxBytes)}`;
      throw wrong('FILE_TOO_BIG', request, most, formatSize(stat.size), 'check that this is the right file');
    }
    const bytes = Buffer.alloc(stat.size);
    let length = 0;
    for (let n = -1; n !== 0 && length < bytes.length; length += n)
      n = readSync(fd, bytes, length, bytes.length - length, null);
    return bytes.subarray(0, length);
  } catch (error) {
    if (error instanceof EmballageError) throw error;
    if (systemCode(error) === 'ENOENT' || systemCode(error) === 'ENOTDIR')
      throw wrong('FILE_MISSING', request, 'a file', 'nothing there', request.mendMissing, error);
    throw wrong(
      'FILE_UNREADABLE',
      request,
      'a file that can be read',
      messageOf(error),
      'check its permissions',
      error,
    );
  } finally {
    if (fd !== undefined) closeSync(fd);
  }
}

function wrong(
  code: ErrorCode,
  request: TextRequest,
  expected: string,
  found: string,
  mend: string,
  cause?: unknown,
): EmballageError {
  return new EmballageError(code, { doing: request.doing, where: request.shown, expected, found, mend }, cause);
}

/** Line and column, counting from 1, of the first byte that is not UTF-8; columns count characters. */
function firstBadByte(bytes: Buffer): { line: number; column: number } {
  let [low, high] = [0, bytes.length];
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (isUtf8So(bytes.subarray(0, middle))) low = middle;
    else high = middle - 1;
  }
  const before = new TextDecoder().decode(bytes.subarray(0, low), { stream: true }).split('\n');
  return { line: before.length, column: (before.at(-1)?.length ?? 0) + 1 };
}

/** Whether bytes are UTF-8 as far as they go; the last character may be cut. */
function isUtf8So(bytes: Buffer): boolean {
  try {
    new TextDecoder('utf-8', { fatal: true }).decode(bytes, { stream: true });
    return true;
  } catch {
    return false;
  }
}
