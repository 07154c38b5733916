/** Writes files so that they appear whole or not at all: a temporary file beside the target, synced, then renamed. */
import { createHash } from 'node:crypto';
import {
  close,
  closeSync,
  copyFileSync,
  fsyncSync,
  linkSync,
  mkdirSync,
  openSync,
  readSync,
  renameSync,
  rmSync,
  writeSync,
} from 'node:fs';
import { dirname, join } from 'node:path';
import { threadId } from 'node:worker_threads';
import { EmballageError, messageOf, systemCode } from '../base/errors';
import { printable } from '../base/text';
import type { ZipSink } from '../formats/zip';
import { namesIn } from './names-in';
import { isRunning, machineMark } from './running';

const BUFFER_BYTES = 256 * 1024;
/** `.emballage-`, which machine, whose process and thread, and a number. */
const TEMPORARY = /^\.emballage-([0-9a-f]{8})-(\d+)-\d+-\d+\.part$/;

let serial = 0;

/** A name beside `path` that no other process and no other thread uses. */
export function temporaryBeside(path: string): string {
  serial += 1;
  const who = [machineMark(), process.pid, threadId, serial].join('-');
  return join(dirname(path), `.emballage-${who}.part`);
}

/** Whether a name is one that a file under construction has. */
export function isTemporary(name: string): boolean {
  return TEMPORARY.test(name);
}

/** Removes what interrupted runs left in a folder. Only for folders that no other run writes to at the time. */
export function removeLeftovers(folder: string): void {
  for (const name of namesIn(folder))
    if (isTemporary(name)) rmSync(join(folder, name), { force: true, recursive: true });
}

const swept = new Set<string>();

/** Removes what processes of this machine left in a folder when they were killed; in each folder once in a run. */
function removeOrphans(folder: string): void {
  if (swept.has(folder)) return;
  swept.add(folder);
  removeAbandoned(folder);
}

/** Removes what processes of this machine that have ended left in a folder. */
export function removeAbandoned(folder: string): void {
  for (const name of namesIn(folder))
    if (isAbandoned(name)) rmSync(join(folder, name), { force: true, recursive: true });
}

/** Whether a name is that of a file under construction whose process has ended, which is known of those of this machine. */
export function isAbandoned(name: string): boolean {
  const [, machine, pid] = TEMPORARY.exec(name) ?? [];
  return machine === machineMark() && !isRunning(Number(pid));
}

/** Writes a small file whole in a folder that is the user's, where nobody else tidies up. */
export function writeInProject(path: string, content: string | Uint8Array, shown: string): void {
  removeOrphans(dirname(path));
  writeWhole(path, content, shown);
}

/** The same for what is only remembered: after a crash of the system it may be empty, and is made again. */
export function writeMemory(path: string, content: string | Uint8Array, shown: string): void {
  writeWhole(path, content, shown, false);
}

/** Writes a small file whole. */
export function writeWhole(path: string, content: string | Uint8Array, shown: string, isSynced = true): void {
  const bytes = typeof content === 'string' ? Buffer.from(content) : content;
  guarded(shown, () => {
    mkdirSync(dirname(path), { recursive: true });
    const temporary = temporaryBeside(path);
    try {
      const fd = openSync(temporary, 'wx', 0o666);
      try {
        writeAll(fd, bytes, null);
        if (isSynced) fsyncSync(fd);
      } finally {
        closeSync(fd);
      }
      renameSync(temporary, path);
    } catch (error) {
      rmSync(temporary, { force: true });
      throw error;
    }
  });
}

/** A file under construction: appended to in large writes, patched in place, then moved to its name or discarded. */
export class FileSink implements ZipSink {
  readonly path: string;
  readonly #shown: string;
  readonly #fd: number;
  readonly #buffer = Buffer.allocUnsafe(BUFFER_BYTES);
  readonly #hash = createHash('sha256');
  readonly #isHashed: boolean;
  #held = 0;
  #written = 0;
  #open = true;
  /** From where on bytes may still be patched, and so are not hashed yet. */
  #holdFrom: number | undefined;

  /**
   * @param target the path that the file will have in the end; it is built beside it
   * @param isHashed whether its digest is wanted; closing gives that of nothing otherwise
   */
  constructor(target: string, shown: string, isHashed = true) {
    this.#isHashed = isHashed;
    this.path = temporaryBeside(target);
    this.#shown = shown;
    this.#fd = guarded(shown, () => {
      mkdirSync(dirname(target), { recursive: true });
      return openSync(this.path, 'wx+', 0o666);
    });
  }

  append(bytes: Uint8Array): void {
    if (this.#held + bytes.length > BUFFER_BYTES) this.#flush();
    if (bytes.length > BUFFER_BYTES) {
      this.#write(bytes);
      return;
    }
    this.#buffer.set(bytes, this.#held);
    this.#held += bytes.length;
  }

  hold(): void {
    this.#flush();
    this.#holdFrom = this.#written;
  }

  release(): void {
    this.#flush();
    const chunk = Buffer.allocUnsafe(BUFFER_BYTES);
    for (let at = this.#holdFrom ?? this.#written; at < this.#written;) {
      const n = readSync(this.#fd, chunk, 0, Math.min(chunk.length, this.#written - at), at);
      this.#hash.update(chunk.subarray(0, n));
      at += n;
    }
    this.#holdFrom = undefined;
  }

  patch(offset: number, bytes: Uint8Array): void {
    this.#flush();
    guarded(this.#shown, () => writeAll(this.#fd, bytes, offset));
  }

  /** Writes everything out and syncs it; the file stays under its temporary name. Gives its SHA-256, in hexadecimal. */
  close(): string {
    this.#flush();
    guarded(this.#shown, () => fsyncSync(this.#fd));
    this.#open = false;
    closeSync(this.#fd);
    return this.#hash.digest('hex');
  }

  /** Removes the file. */
  discard(): void {
    if (this.#open) closeSync(this.#fd);
    this.#open = false;
    rmSync(this.path, { force: true });
  }

  #flush(): void {
    if (this.#held === 0) return;
    this.#write(this.#buffer.subarray(0, this.#held));
    this.#held = 0;
  }

  /** Hashed when written, since hashing a few bytes takes as long as hashing a thousand. */
  #write(bytes: Uint8Array): void {
    guarded(this.#shown, () => writeAll(this.#fd, bytes, this.#written));
    this.#written += bytes.length;
    if (this.#holdFrom === undefined && this.#isHashed) this.#hash.update(bytes);
  }
}

/** Puts a file under another name too, whole or not at all; it is copied where the file system has no hard links. */
export function linkOrCopy(from: string, target: string): void {
  guarded(target, () => {
    mkdirSync(dirname(target), { recursive: true });
    const temporary = temporaryBeside(target);
    try {
      linkSync(from, temporary);
    } catch {
      // Another file system, or one without hard links.
      copyFileSync(from, temporary);
    }
    renameSync(temporary, target);
    // Where the target is a link to the same file already, renaming does nothing and leaves the other name.
    rmSync(temporary, { force: true });
  });
}

/** Moves a file to a name that another may have. Freeing a large file takes long, so that goes on beside other work. */
export function replaceLarge(from: string, to: string): void {
  let before: number | undefined;
  try {
    before = openSync(to, 'r');
  } catch {
    // Nothing there.
  }
  renameSync(from, to);
  if (before !== undefined) close(before, () => undefined);
}

/** Writes bytes whole, at a place or where the file is written. */
export function writeAll(fd: number, bytes: Uint8Array, at: number | null): void {
  for (let done = 0; done < bytes.length;)
    done += writeSync(fd, bytes, done, bytes.length - done, at === null ? null : at + done);
}

const FULL = ['ENOSPC', 'EDQUOT', 'EFBIG'];
const WRONG = {
  full: {
    expected: 'room on the disk',
    found: 'none left; what was there before is unharmed',
    mend: 'make room, then run the command again',
  },
  gone: {
    expected: 'what is written to, to stay while it is written',
    found: 'something took it away in the meantime',
    mend: 'run the command again when nothing else clears that folder',
  },
  closed: { expected: 'a folder that can be written to', found: '', mend: 'mend the folder or its permissions' },
} as const;

/** Runs something that writes; a full disk and the like become errors that say so. */
export function guarded<T>(shown: string, write: () => T): T {
  try {
    return write();
  } catch (error) {
    if (error instanceof EmballageError || systemCode(error) === undefined) throw error;
    const code = systemCode(error) ?? '';
    const what = FULL.includes(code) ? 'full' : code === 'ENOENT' ? 'gone' : 'closed';
    throw new EmballageError(
      what === 'full' ? 'DISK_FULL' : 'DISK_FAILED',
      {
        doing: 'writing',
        where: printable(shown),
        ...WRONG[what],
        ...(what === 'closed' && { found: messageOf(error) }),
      },
      error,
    );
  }
}
