/** `emballage.lock`: every third-party file, by name, version, digest and size, for each function and target. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { z } from 'zod';
import { EmballageError, systemCode } from '../base/errors';
import { unsafePathReason } from '../base/paths';
import { writeWhole } from '../disk/write';

export const LOCK_NAME = 'emballage.lock';
const MAX_LOCK_BYTES = 64 * 1024 * 1024;

const lockedPackage = z.strictObject({
  name: z.string(),
  version: z.string(),
  file: z.string().refine((name) => !name.includes('/') && unsafePathReason(name) === undefined, 'a file name'),
  sha256: z.string().regex(/^[0-9a-f]{64}$/, 'a SHA-256 in hexadecimal'),
  size: z.int().nonnegative(),
  /** The address of the file, or its path from the project folder. */
  from: z.string(),
  /** The source distribution that it is built from, and with what; then `from` says nothing. */
  source: z
    .strictObject({
      file: z.string(),
      sha256: z.string(),
      size: z.int().nonnegative(),
      from: z.string(),
      with: z.array(z.string()),
    })
    .optional(),
  /** Names of the packages that ask for it, files that state it, or the function. */
  by: z.array(z.string()),
});

const lockedFunction = z.strictObject({
  /** Digest of the requirements, sources and targets that were settled. */
  inputs: z.string(),
  targets: z.record(z.string(), z.array(lockedPackage)),
});

export const lockSchema = z.strictObject({
  lock: z.literal(1),
  functions: z.record(z.string(), lockedFunction),
});

export type Lock = z.output<typeof lockSchema>;
export type LockedFunction = z.output<typeof lockedFunction>;
export type LockedPackage = z.output<typeof lockedPackage>;

export const EMPTY_LOCK: Lock = { lock: 1, functions: {} };

/** The lock of a project; empty where there is none. @param root absolute path of the project */
export function readLock(root: string): Lock {
  let text: string;
  try {
    text = readFileSync(join(root, LOCK_NAME), 'utf8');
  } catch (error) {
    if (systemCode(error) === 'ENOENT') return EMPTY_LOCK;
    throw bad('a file that cannot be read', error);
  }
  if (text.length > MAX_LOCK_BYTES) throw bad('a file that is far too big');
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch (error) {
    throw bad('text that is no JSON: it was cut off, edited by hand or merged badly', error);
  }
  const result = lockSchema.safeParse(value);
  if (result.success) return result.data;
  const [issue] = result.error.issues;
  throw bad(`\`${issue?.path.map(String).join('.') ?? ''}\`: ${issue?.message ?? 'not as the format wants it'}`);
}

export function writeLock(root: string, lock: Lock): void {
  writeWhole(join(root, LOCK_NAME), formatLock(lock), LOCK_NAME);
}

/** One line a package, everything in order: what changes shows in a diff as the line that changed. */
export function formatLock(lock: Lock): string {
  const functions = sorted(lock.functions).map(([name, { inputs, targets }]) => {
    const rows = sorted(targets).map(([target, packages]) => {
      const lines = packages.map((one) => `          ${JSON.stringify(one)}`);
      return `        ${JSON.stringify(target)}: [${lines.length === 0 ? '' : `\n${lines.join(',\n')}\n        `}]`;
    });
    const body = `      "inputs": ${JSON.stringify(inputs)},\n      "targets": {\n${rows.join(',\n')}\n      }`;
    return `    ${JSON.stringify(name)}: {\n${body}\n    }`;
  });
  return `{\n  "lock": 1,\n  "functions": {${functions.length === 0 ? '' : `\n${functions.join(',\n')}\n  `}}\n}\n`;
}

function sorted<T>(record: Readonly<Record<string, T>>): [string, T][] {
  return Object.entries(record).sort(([a], [b]) => (a < b ? -1 : 1));
}

function bad(found: string, cause?: unknown): EmballageError {
  return new EmballageError(
    'LOCK_INVALID',
    {
      doing: 'reading the lock',
      where: LOCK_NAME,
      expected: 'a lock of format 1, as `emballage lock` writes it',
      found,
      mend: 'take it from version control again, or remove it and run `emballage lock`',
    },
    cause,
  );
}
