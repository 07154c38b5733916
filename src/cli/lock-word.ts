/** Locks as words of the command line: a file, or one at a revision of version control. */
import { readFileSync } from 'node:fs';
import { basename, dirname, resolve } from 'node:path';
import { EmballageError, messageOf } from '../core/base/errors';
import { printable } from '../core/base/text';
import { KNOWN } from '../core/known';
import type { LockSide } from '../core/pipeline/compare';
import { lockFromText } from '../core/project/lock/lockfile';
import { programsNamed } from '../core/toolchains/programs';
import { runProgram } from '../core/toolchains/run-program';
import type { Session } from './session/session';

const LOCK = /^(.*\.lock)(?:@(.+))?$/;
const MOST_BYTES = 64 * 1024 * 1024;
const PATIENCE_MS = 30_000;

/** Whether a word of the command line names a lock: its file, or that at a revision (`FILE@REVISION`). */
export function isLockWord(word: string): boolean {
  return LOCK.test(word);
}

/** The lock that such a word names. @throws EmballageError where it cannot be read */
export async function lockSide(word: string, session: Session): Promise<LockSide> {
  const [, file = word, revision] = LOCK.exec(word) ?? [];
  const path = resolve(session.cwd, file);
  const text = revision === undefined ? readHere(path, word) : await readAt(path, revision, word, session);
  const lock = await lockFromText(text, printable(word), { languages: KNOWN }, true);
  return { shown: word, lock, text, size: Buffer.byteLength(text) };
}

function readHere(path: string, word: string): string {
  try {
    return readFileSync(path, 'utf8');
  } catch (error) {
    throw unread(word, 'a lock', messageOf(error), 'correct the path', error);
  }
}

/** What version control has of it at a revision. */
async function readAt(path: string, revision: string, word: string, session: Session): Promise<string> {
  const [program] = programsNamed(/^git$/, session.machine().searchPath);
  if (program === undefined)
    throw new EmballageError('TOOLCHAIN_MISSING', {
      doing: 'reading a lock at a revision',
      where: printable(word),
      expected: 'git, whose revisions can be read',
      found: 'none on the PATH',
      mend: 'install it, or name a file',
    });
  // After `--end-of-options` nothing is taken for an option, whatever the revision is called.
  const args = ['show', '--end-of-options', `${revision}:./${basename(path)}`];
  const end = await runProgram({ program, args, cwd: dirname(path), patienceMs: PATIENCE_MS, maxBytes: MOST_BYTES });
  if (end.code === 0) return end.stdout;
  const found = end.stderr.trim().split('\n')[0] ?? '';
  throw unread(word, 'a lock at that revision', found === '' ? 'none' : found, 'name a revision that has the file');
}

function unread(word: string, expected: string, found: string, mend: string, cause?: unknown): EmballageError {
  return new EmballageError(
    'FILE_MISSING',
    { doing: 'reading a lock', where: printable(word), expected, found: printable(found), mend },
    cause,
  );
}
