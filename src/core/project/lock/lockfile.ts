/** `emballage.lock`: every third-party file, by name, version, digest and size, for each function and target. */
import { readTextNow } from '../../disk/to-read';
import { join } from 'node:path';
import { EmballageError, systemCode } from '../../base/errors';
import { contentDigest } from '../../disk/digest';
import { writeInProject } from '../../disk/write';
import type { ByLanguage } from '../../sheet';
import type { NotedSource } from '../../sources';
import type { LockedBase, PlainLockedPackage } from './lock-schema';
import { isVerified, noteVerified } from '../verified';
import { besideSheet, type Project } from '../targets';

export type { LockedBase, LockedBaseTarget } from './lock-schema';

/** A third-party file, with what is its language's own. */
export type LockedPackage = Readonly<PlainLockedPackage> & ByLanguage<'lockedPackage'>;

export type LockedFunction = {
  /** Digest of the requirements, sources and targets that were settled. */
  readonly inputs: string;
  /** Who was asked, in this order, and why they. */
  readonly sources?: readonly NotedSource[];
  /** By architecture. */
  readonly targets: Readonly<Record<string, readonly LockedPackage[]>>;
} & ByLanguage<'locked'>;

export interface Lock {
  readonly lock: typeof LOCK_FORMAT;
  readonly functions: Readonly<Record<string, LockedFunction>>;
  /** What images stand on, by function. */
  readonly bases?: Readonly<Record<string, LockedBase>>;
}

/** Version of the format. */
const LOCK_FORMAT = 2;
/** Formats that this one has followed; their locks are settled anew. */
const EARLIER_FORMATS: readonly unknown[] = [1];
const MAX_LOCK_BYTES = 64 * 1024 * 1024;

export const EMPTY_LOCK: Lock = { lock: LOCK_FORMAT, functions: {} };

/** The lock of a sheet lies beside it. */
export function lockNameOf(project: Pick<Project, 'files'>): string {
  return besideSheet(project, 'lock');
}

/** Where a lock stands, and with what it is held against its format. */
export type LockPlace = Pick<Project, 'root' | 'files' | 'state' | 'languages'>;

/**
 * The lock of a project; empty where there is none.
 * @param mayBeEarlier whether a lock of an earlier format is taken for what it says of versions, which is settled anew
 * @throws EmballageError LOCK_INVALID, and LOCK_OUTDATED for an earlier format
 */
export async function readLock(place: LockPlace, mayBeEarlier = false): Promise<Lock> {
  const name = lockNameOf(place);
  let text: string;
  try {
    text = readTextNow(join(place.root, name));
  } catch (error) {
    if (systemCode(error) === 'ENOENT') return EMPTY_LOCK;
    throw bad(name, 'a file that cannot be read', error);
  }
  return lockFromText(text, name, place, mayBeEarlier);
}

/**
 * A lock by its text, wherever that comes from.
 * @param place with a memory, the schema library is loaded only for one that has not been read before
 * @throws EmballageError LOCK_INVALID, and LOCK_OUTDATED for an earlier format
 */
export async function lockFromText(
  text: string,
  name: string,
  place: Pick<LockPlace, 'languages'> & Partial<Pick<LockPlace, 'state'>>,
  mayBeEarlier = false,
): Promise<Lock> {
  if (text.length > MAX_LOCK_BYTES) throw bad(name, 'a file that is far too big');
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch (error) {
    throw bad(name, 'text that is no JSON: it was cut off, edited by hand or merged badly', error);
  }
  if (EARLIER_FORMATS.includes((value as { lock?: unknown } | null)?.lock)) {
    if (mayBeEarlier) return fromEarlier(value as Lock);
    throw earlier(name);
  }
  await verify(place, name, text, value);
  // As it stands in the file, so that it reads the same the next time, when it is known to be right.
  return value as Lock;
}

/** What an earlier format says of versions; no function counts as settled by it. */
function fromEarlier({ functions }: Lock): Lock {
  const rows = (packages: unknown): LockedPackage[] =>
    (Array.isArray(packages) ? (packages as Partial<LockedPackage>[]) : []).map(
      ({ name = '', version = '', file = '', sha256 = '', size = 0 }) => ({
        name,
        version,
        file,
        sha256,
        size,
        index: '',
        from: '',
        by: [],
      }),
    );
  const settled = Object.entries(functions).map(([name, { targets }]) => {
    const byArch = Object.entries(targets).map(([arch, packages]) => [arch, rows(packages)]);
    return [name, { inputs: '', targets: Object.fromEntries(byArch) as LockedFunction['targets'] }] as const;
  });
  return { lock: LOCK_FORMAT, functions: Object.fromEntries(settled) };
}

/** The schema library is loaded only for a lock that has not been read before. */
async function verify(
  { state, languages }: Pick<LockPlace, 'languages'> & Partial<Pick<LockPlace, 'state'>>,
  name: string,
  text: string,
  value: unknown,
): Promise<void> {
  const digest = contentDigest(text);
  if (state !== undefined && isVerified(state, digest)) return;
  const { lockSchema } = await import('./lock-schema');
  const result = (await lockSchema(languages)).safeParse(value);
  const [issue] = result.error?.issues ?? [];
  if (!result.success)
    throw bad(
      name,
      `\`${issue?.path.map(String).join('.') ?? ''}\`: ${issue?.message.replace(/^Invalid input: /, '') ?? 'not as the format wants it'}`,
    );
  if (state !== undefined) noteVerified(state, digest);
}

/** Writes the lock beside its sheet, whole. @throws EmballageError where there is no place to write */
export function writeLock(place: Pick<LockPlace, 'root' | 'files'>, lock: Lock): void {
  const name = lockNameOf(place);
  writeInProject(join(place.root, name), formatLock(lock), name);
}

/** One line a package, everything in order: what changes shows in a diff as the line that changed. */
export function formatLock(lock: Lock): string {
  const functions = sorted(lock.functions).map(([name, { inputs, sources = [], targets, ...own }]) => {
    const rows = sorted(targets).map(([target, packages]) => {
      const lines = packages.map((one) => `          ${JSON.stringify(one)}`);
      return `        ${JSON.stringify(target)}: [${lines.length === 0 ? '' : `\n${lines.join(',\n')}\n        `}]`;
    });
    const asked = sources.length === 0 ? '' : `      "sources": ${formatRows(sources, '      ')},\n`;
    const body = `      "inputs": ${JSON.stringify(inputs)},\n${asked}      "targets": {\n${rows.join(',\n')}\n      }${formatOwn(own)}`;
    return `    ${JSON.stringify(name)}: {\n${body}\n    }`;
  });
  const bases = sorted(lock.bases ?? {}).map(([name, base]) => `    ${JSON.stringify(name)}: ${formatBase(base)}`);
  const more = bases.length === 0 ? '' : `,\n  "bases": {\n${bases.join(',\n')}\n  }`;
  return `{\n  "lock": ${String(LOCK_FORMAT)},\n  "functions": {${functions.length === 0 ? '' : `\n${functions.join(',\n')}\n  `}}${more}\n}\n`;
}

/** One line an architecture. */
function formatBase({ inputs, targets }: LockedBase): string {
  const rows = sorted(targets).map(([arch, one]) => `        ${JSON.stringify(arch)}: ${JSON.stringify(one)}`);
  return `{\n      "inputs": ${JSON.stringify(inputs)},\n      "targets": {\n${rows.join(',\n')}\n      }\n    }`;
}

/** What languages add: each list one item a line. */
function formatOwn(own: ByLanguage<'locked'>): string {
  return sorted(own as Readonly<Record<string, Readonly<Record<string, unknown>>>>)
    .map(([id, part]) => {
      const rows = sorted(part).map(([key, value]) => `        ${JSON.stringify(key)}: ${formatRows(value)}`);
      return `,\n      ${JSON.stringify(id)}: {\n${rows.join(',\n')}\n      }`;
    })
    .join('');
}

/** @param indent of the line that it begins on */
function formatRows(value: unknown, indent = '        '): string {
  if (!Array.isArray(value)) return JSON.stringify(value);
  return `[${value.length === 0 ? '' : `\n${value.map((one) => `${indent}  ${JSON.stringify(one)}`).join(',\n')}\n${indent}`}]`;
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
      expected: `a lock of format ${String(LOCK_FORMAT)}, as \`emballage lock\` writes it`,
      found,
      mend: 'take it from version control again, or remove it and run `emballage lock`',
    },
    cause,
  );
}

function earlier(name: string): EmballageError {
  return new EmballageError('LOCK_OUTDATED', {
    doing: 'reading the lock',
    where: name,
    expected: `a lock of format ${String(LOCK_FORMAT)}`,
    found: 'one of an earlier version of the tool',
    mend: 'run `emballage lock`: it settles everything anew, and stays with these versions',
  });
}
