/** Reads `package-lock.json`, lockfile versions 2 and 3: the list `packages`, keyed by where each package is installed. */
import { EmballageError } from '../../../base/errors';
import { baseOf, unsafePathReason } from '../../../base/paths';
import { count, printable } from '../../../base/text';

export interface LockEntry {
  /** Where it is installed, relative to the lock: `node_modules/a/node_modules/b`, a workspace's folder, or ''. */
  readonly key: string;
  /** The package's own name, which an alias hides. */
  readonly name: string;
  readonly version: string;
  /** Address of the tarball, or the folder that a link leads to. */
  readonly resolved?: string;
  readonly integrity?: string;
  readonly isLink: boolean;
  /** Comes inside the tarball of the package above it. */
  readonly isBundled: boolean;
  readonly hasInstallScript: boolean;
  /** Versions of Node.js that it is for. */
  readonly engines?: string;
  readonly dependencies: Readonly<Record<string, string>>;
  readonly optionalDependencies: Readonly<Record<string, string>>;
  readonly peerDependencies: Readonly<Record<string, string>>;
  readonly os?: readonly string[];
  readonly cpu?: readonly string[];
  readonly libc?: readonly string[];
}

/** What a package.json asks for. */
export interface Manifest {
  readonly dependencies: Readonly<Record<string, string>>;
  readonly optionalDependencies: Readonly<Record<string, string>>;
  readonly peerDependencies: Readonly<Record<string, string>>;
}

/** What a package.json asks for; a name that stands in both is optional. */
export function manifestOf(value: Record<string, unknown>): Manifest {
  const optionalDependencies = texts(value.optionalDependencies);
  const dependencies = Object.fromEntries(
    Object.entries(texts(value.dependencies)).filter(([name]) => !(name in optionalDependencies)),
  );
  return { dependencies, optionalDependencies, peerDependencies: texts(value.peerDependencies) };
}

export type PackageLock = ReadonlyMap<string, LockEntry>;

const MAX_ENTRIES = 200_000;

/**
 * @param shown the file's name, for messages
 * @throws EmballageError REQUIREMENTS_INVALID
 */
export function readPackageLock(text: string, shown: string): PackageLock {
  const value = parseJson(text, shown);
  const version = value.lockfileVersion;
  if (version !== 2 && version !== 3)
    throw invalid(
      shown,
      '`lockfileVersion` 2 or 3',
      version === undefined ? 'none' : `\`${printable(JSON.stringify(version))}\``,
      'write it anew with npm 7 or later: `npm install --package-lock-only`',
    );
  const entries = Object.entries(asRecord(value.packages));
  if (entries.length === 0) throw invalid(shown, 'the list `packages`', 'none', 'write the lock anew with npm');
  if (entries.length > MAX_ENTRIES)
    throw invalid(
      shown,
      `at most ${count(MAX_ENTRIES, 'package')}`,
      count(entries.length, 'package'),
      'check the file',
    );
  return new Map(entries.map(([key, entry]) => [key, readEntry(key, asRecord(entry), shown)]));
}

/** A text as JSON. @param shown how messages call it @throws EmballageError REQUIREMENTS_INVALID */
export function parseJson(text: string, shown: string): Record<string, unknown> {
  try {
    return asRecord(JSON.parse(text.replace(/^\ufeff/, '')));
  } catch (cause) {
    throw invalid(shown, 'JSON', 'text that is none: it was cut off, edited by hand or merged badly', 'mend it', cause);
  }
}

function readEntry(key: string, entry: Record<string, unknown>, shown: string): LockEntry {
  const unsafe = key === '' ? undefined : unsafePathReason(key);
  if (unsafe !== undefined)
    throw invalid(
      shown,
      'places inside the project',
      `\`${printable(key)}\`, ${unsafe}`,
      'write the lock anew with npm',
    );
  const { name, version, resolved, integrity, link, inBundle, hasInstallScript, os, cpu, libc } = entry;
  const { node } = asRecord(entry.engines);
  return {
    key,
    name: typeof name === 'string' ? name : nameInPath(key),
    version: typeof version === 'string' ? version : '',
    ...(typeof resolved === 'string' && { resolved }),
    ...(typeof integrity === 'string' && { integrity }),
    isLink: link === true,
    isBundled: inBundle === true,
    hasInstallScript: hasInstallScript === true,
    ...(typeof node === 'string' && { engines: node }),
    dependencies: texts(entry.dependencies),
    optionalDependencies: texts(entry.optionalDependencies),
    peerDependencies: texts(entry.peerDependencies),
    ...(os !== undefined && { os: list(os) }),
    ...(cpu !== undefined && { cpu: list(cpu) }),
    ...(libc !== undefined && { libc: list(libc) }),
  };
}

/** `node_modules/@a/b` gives `@a/b`. */
function nameInPath(key: string): string {
  const at = key.lastIndexOf('node_modules/');
  return at < 0 ? key : key.slice(at + 'node_modules/'.length);
}

/** The texts in a mapping, by their keys. */
export function texts(value: unknown): Record<string, string> {
  return Object.fromEntries(
    Object.entries(asRecord(value)).flatMap(([name, range]) => (typeof range === 'string' ? [[name, range]] : [])),
  );
}

function list(value: unknown): string[] {
  return Array.isArray(value) ? value.map(String) : [String(value)];
}

/** A value as a mapping; undefined for anything else. */
export function asRecord(value: unknown): Record<string, unknown> {
  return typeof value === 'object' && value !== null && !Array.isArray(value) ? (value as Record<string, unknown>) : {};
}

/** How the lock of a name is written anew. */
export function writtenAnew(path: string): string {
  const name = baseOf(path);
  if (name === 'yarn.lock') return '`yarn install`';
  return name === 'pnpm-lock.yaml' ? '`pnpm install --lockfile-only`' : '`npm install --package-lock-only`';
}

/** The error for a lock file. */
export function invalid(where: string, expected: string, found: string, mend: string, cause?: unknown): EmballageError {
  return new EmballageError(
    'REQUIREMENTS_INVALID',
    { doing: 'reading the packages', where, expected, found, mend },
    cause,
  );
}
