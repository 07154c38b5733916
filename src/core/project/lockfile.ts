/** `emballage.lock`: every third-party file, by name, version, digest and size, for each function and target. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { EmballageError, systemCode } from '../base/errors';
import { baseOf } from '../base/paths';
import { contentDigest } from '../disk/digest';
import { writeWhole } from '../disk/write';
import { STATE_FOLDER } from '../fileset/selection';
import type { Lock, LockedBase } from './lock-schema';
import type { Project } from './targets';

export type {
  Lock,
  LockedBase,
  LockedBaseTarget,
  LockedClash,
  LockedFunction,
  LockedPackage,
  LockedWorkspace,
} from './lock-schema';

export const LOCK_NAME = 'emballage.lock';
const MAX_LOCK_BYTES = 64 * 1024 * 1024;

export const EMPTY_LOCK: Lock = { lock: 1, functions: {} };

/** The lock of a sheet lies beside it, under its name: `emballage.yaml` has `emballage.lock`. */
export function lockNameOf({ files: [sheet] }: Pick<Project, 'files'>): string {
  return sheet === undefined ? LOCK_NAME : `${baseOf(sheet).replace(/\.ya?ml$/, '')}.lock`;
}

/** The lock of a project; empty where there is none. @param root absolute path of the project */
export function readLock(root: string, name = LOCK_NAME): Lock {
  let text: string;
  try {
    text = readFileSync(join(root, name), 'utf8');
  } catch (error) {
    if (systemCode(error) === 'ENOENT') return EMPTY_LOCK;
    throw bad(name, 'a file that cannot be read', error);
  }
  if (text.length > MAX_LOCK_BYTES) throw bad(name, 'a file that is far too big');
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch (error) {
    throw bad(name, 'text that is no JSON: it was cut off, edited by hand or merged badly', error);
  }
  if (wasVerified(root, name, text)) return value as Lock;
  // The schema library is loaded only for a lock that has not been read before.
  // eslint-disable-next-line @typescript-eslint/no-require-imports
  const { lockSchema } = require('./lock-schema') as typeof import('./lock-schema');
  const result = lockSchema.safeParse(value);
  const [issue] = result.error?.issues ?? [];
  if (!result.success)
    throw bad(
      name,
      `\`${issue?.path.map(String).join('.') ?? ''}\`: ${issue?.message.replace(/^Invalid input: /, '') ?? 'not as the format wants it'}`,
    );
  noteVerified(root, name, text);
  // As it stands in the file, so that it reads the same the next time, when it is known to be right.
  return value as Lock;
}

function verifiedPath(root: string, name: string): string {
  return join(root, STATE_FOLDER, `${name}.sha256`);
}

function wasVerified(root: string, name: string, text: string): boolean {
  try {
    return readFileSync(verifiedPath(root, name), 'utf8') === contentDigest(text);
  } catch {
    return false;
  }
}

function noteVerified(root: string, name: string, text: string): void {
  try {
    writeWhole(verifiedPath(root, name), contentDigest(text), verifiedPath(root, name));
  } catch {
    // It is verified again next time.
  }
}

export function writeLock(root: string, lock: Lock, name = LOCK_NAME): void {
  writeWhole(join(root, name), formatLock(lock), name);
}

/** One line a package, everything in order: what changes shows in a diff as the line that changed. */
export function formatLock(lock: Lock): string {
  const functions = sorted(lock.functions).map(([name, { inputs, targets, workspaces, clashes }]) => {
    const rows = sorted(targets).map(([target, packages]) => {
      const lines = packages.map((one) => `          ${JSON.stringify(one)}`);
      return `        ${JSON.stringify(target)}: [${lines.length === 0 ? '' : `\n${lines.join(',\n')}\n        `}]`;
    });
    const more = formatRows('workspaces', workspaces) + formatRows('clashes', clashes);
    const body = `      "inputs": ${JSON.stringify(inputs)},\n      "targets": {\n${rows.join(',\n')}\n      }${more}`;
    return `    ${JSON.stringify(name)}: {\n${body}\n    }`;
  });
  const bases = sorted(lock.bases ?? {}).map(([name, base]) => `    ${JSON.stringify(name)}: ${formatBase(base)}`);
  const more = bases.length === 0 ? '' : `,\n  "bases": {\n${bases.join(',\n')}\n  }`;
  return `{\n  "lock": 1,\n  "functions": {${functions.length === 0 ? '' : `\n${functions.join(',\n')}\n  `}}${more}\n}\n`;
}

/** One line an architecture. */
function formatBase({ inputs, targets }: LockedBase): string {
  const rows = sorted(targets).map(([arch, one]) => `        ${JSON.stringify(arch)}: ${JSON.stringify(one)}`);
  return `{\n      "inputs": ${JSON.stringify(inputs)},\n      "targets": {\n${rows.join(',\n')}\n      }\n    }`;
}

function formatRows(name: string, rows: readonly object[] | undefined): string {
  if (rows === undefined || rows.length === 0) return '';
  return `,\n      "${name}": [\n${rows.map((one) => `        ${JSON.stringify(one)}`).join(',\n')}\n      ]`;
}

function sorted<T>(record: Readonly<Record<string, T>>): [string, T][] {
  return Object.entries(record).sort(([a], [b]) => (a < b ? -1 : 1));
}

function bad(name: string, found: string, cause?: unknown): EmballageError {
  return new EmballageError(
    'LOCK_INVALID',
    {
      doing: 'reading the lock',
      where: name,
      expected: 'a lock of format 1, as `emballage lock` writes it',
      found,
      mend: 'take it from version control again, or remove it and run `emballage lock`',
    },
    cause,
  );
}
