/** Files as sources of bytes: archives at any offset, source files front to back. */
import { closeSync, fstatSync, openSync, readSync } from 'node:fs';
import { EmballageError, messageOf, systemCode } from '../base/errors';
import { printable } from '../base/text';
import type { ByteSource } from '../formats/zip';
import { TO_READ } from './to-read';
import { sameStamp, stampOf, type Stamp } from './stamp';

/** An open file. */
export interface FileSource extends ByteSource {
  /** Reads into memory that is there already: for what is only handed on. */
  readInto(offset: number, bytes: Uint8Array): void;
}

/** Runs `use` with an open file; closes it whatever happens. `shown` names it in messages. */
export async function withFileSource<T>(
  path: string,
  shown: string,
  use: (source: FileSource) => T | Promise<T>,
): Promise<T> {
  let fd: number;
  try {
    fd = openSync(path, TO_READ);
  } catch (error) {
    throw unreadable(shown, error);
  }
  try {
    const stat = fstatSync(fd);
    if (!stat.isFile())
      throw unreadable(shown, new Error(stat.isDirectory() ? 'it is a folder' : 'it is no plain file'));
    return await use({
      size: stat.size,
      read: (offset, length) => readExactly(fd, offset, length, shown),
      readInto: (offset, bytes) => readWhole(fd, offset, bytes, shown),
    });
  } finally {
    closeSync(fd);
  }
}

/** Stretches of files that stay as they are; each file is opened once. */
export class OpenFiles {
  readonly #open = new Map<string, number>();

  read(path: string, { at, length }: { readonly at: number; readonly length: number }): Buffer<ArrayBuffer> {
    let fd = this.#open.get(path);
    if (fd === undefined) this.#open.set(path, (fd = openSync(path, TO_READ)));
    return readExactly(fd, at, length, path);
  }

  close(): void {
    for (const fd of this.#open.values()) closeSync(fd);
    this.#open.clear();
  }
}

/** A stretch of a file, whole. */
export function readStretch({
  path,
  at,
  size,
}: {
  readonly path: string;
  readonly at: number;
  readonly size: number;
}): Buffer {
  const fd = openSync(path, TO_READ);
  try {
    return readExactly(fd, at, size, path);
  } finally {
    closeSync(fd);
  }
}

/** A stretch of a file in pieces, in the same memory each time. */
export function* stretchPieces(
  { path, at, size }: { readonly path: string; readonly at: number; readonly size: number },
  pieceBytes = 1024 * 1024,
): Generator<Buffer> {
  const fd = openSync(path, TO_READ);
  try {
    const piece = Buffer.allocUnsafe(Math.min(size, pieceBytes));
    for (let done = 0; done < size;) {
      const part = piece.subarray(0, Math.min(piece.length, size - done));
      readWhole(fd, at + done, part, path);
      done += part.length;
      yield part;
    }
  } finally {
    closeSync(fd);
  }
}

function readExactly(fd: number, offset: number, length: number, shown: string): Buffer<ArrayBuffer> {
  const bytes = Buffer.allocUnsafe(length);
  readWhole(fd, offset, bytes, shown);
  return bytes;
}

function readWhole(fd: number, offset: number, bytes: Uint8Array, shown: string): void {
  for (let done = 0; done < bytes.length;) {
    const n = readSync(fd, bytes, done, bytes.length - done, offset + done);
    if (n === 0) throw unreadable(shown, new Error('it became shorter while it was read'));
    done += n;
  }
}

function unreadable(shown: string, error: unknown): EmballageError {
  const missing = systemCode(error) === 'ENOENT';
  return new EmballageError(
    missing ? 'FILE_MISSING' : 'FILE_UNREADABLE',
    {
      doing: 'reading the artifact',
      where: printable(shown),
      expected: 'an artifact file',
      found: missing ? 'nothing there' : messageOf(error),
      mend: missing ? 'correct the path' : 'name a file that can be read',
    },
    error,
  );
}

/**
 * A source file in pieces of `pieceBytes`, the last one shorter; one empty piece for an empty file. Each piece has its
 * own memory, which the receiver owns, unless there is some that all are read into.
 * @param stamp what the file looked like when it was collected
 * @throws EmballageError FILE_CHANGED when it is no longer that file, before or after reading
 */
export function* filePieces(
  path: string,
  shown: string,
  stamp: Stamp,
  pieceBytes: number,
  memory?: Buffer<ArrayBuffer>,
): Generator<Buffer<ArrayBuffer>> {
  let fd: number | undefined;
  try {
    fd = openSync(path, TO_READ);
    let left = stamp.size;
    // That it had changed before it was opened also shows when all is read, which for one piece is soon.
    if (left > pieceBytes && !sameStamp(stampOf(fstatSync(fd)), stamp)) throw changed(shown);
    do {
      const length = Math.min(left, pieceBytes);
      // Not cleared, since it is filled.
      const piece = memory?.subarray(0, length) ?? Buffer.allocUnsafeSlow(length);
      if (!fill(fd, piece)) throw changed(shown);
      left -= piece.length;
      if (left === 0 && !sameStamp(stampOf(fstatSync(fd)), stamp)) throw changed(shown);
      yield piece;
    } while (left > 0);
  } catch (error) {
    if (error instanceof EmballageError) throw error;
    if (systemCode(error) === 'ENOENT') throw changed(shown, error);
    throw new EmballageError(
      'FILE_UNREADABLE',
      {
        doing: 'reading the source',
        where: printable(shown),
        expected: 'a file that can be read',
        found: messageOf(error),
        mend: 'give yourself permission to read it, or leave it out',
      },
      error,
    );
  } finally {
    if (fd !== undefined) closeSync(fd);
  }
}

/** Fills a buffer from where the file is read; false when the file ends before. */
function fill(fd: number, piece: Buffer): boolean {
  for (let done = 0; done < piece.length;) {
    const n = readSync(fd, piece, done, piece.length - done, null);
    if (n === 0) return false;
    done += n;
  }
  return true;
}

function changed(shown: string, cause?: unknown): EmballageError {
  return new EmballageError(
    'FILE_CHANGED',
    {
      doing: 'reading the source',
      where: printable(shown),
      expected: 'a file that stays as it is while it is packed',
      found: 'one that changed or vanished meanwhile',
      mend: 'let whatever writes it finish, then build again',
    },
    cause,
  );
}
