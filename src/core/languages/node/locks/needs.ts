/** What a Node.js function needs from others: the package lock that speaks of its folder. */
import { readTextNow } from '../../../disk/to-read';
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { EmballageError } from '../../../base/errors';
import { baseOf, folderOf, joinPath, upwards } from '../../../base/paths';
import { listed, literalPattern } from '../../../base/text';
import { contentDigest } from '../../../disk/digest';
import { readTextFile } from '../../../disk/read-text';
import type { FunctionSpec } from '../../../sheet';
import { libcOf } from '../../../project/destination-runtime';
import type { Project } from '../../../project/targets';
import { LOCKS } from '../packages';
import { workspaceManifests, workspacesOf } from './workspaces';

export interface NodeNeeds {
  /** The package lock, relative to the project. */
  readonly lock: string;
  readonly lockText: string;
  /** The function's folder, relative to the folder of the lock. */
  readonly from: string;
  /** The function's package.json, relative to the project. */
  readonly manifest: string;
  readonly manifestText: string;
  /** Files of the project that state what is needed. */
  readonly files: readonly string[];
  /** Digest of everything that the settling depends on. */
  readonly inputs: string;
}

const MANIFEST = 'package.json';
const MAX_BYTES = 128 * 1024 * 1024;

/**
 * The needs of a function; undefined where it has none, or where they are installed in its folder already.
 * @throws EmballageError REQUIREMENTS_INVALID where they are not settled
 */
export function readNodeNeeds(project: Project, spec: FunctionSpec): NodeNeeds | undefined {
  if (usesInstalled(spec)) return undefined;
  const lock = spec.needs?.kind === 'file' ? spec.needs.path : findLock(project, spec);
  if (lock === undefined) {
    refuseUnsettled(project, spec);
    return undefined;
  }
  const manifest = joinPath(spec.source, MANIFEST);
  const [lockText, manifestText] = [read(project, lock), read(project, manifest)];
  const from = relativeTo(folderOf(lock), spec.source);
  const libc = libcOf(project, spec);
  const others = otherManifests(project, lock);
  return {
    lock,
    lockText,
    from,
    manifest,
    manifestText,
    files: [lock, ...others],
    inputs: contentDigest(
      JSON.stringify([
        ...[contentDigest(lockText), contentDigest(manifestText), from, libc, spec.archs],
        ...(spec.sources.length > 0 ? [spec.sources] : []),
        ...others.map((path) => read(project, path)),
      ]),
    ).slice(0, 32),
  };
}

/** Files of the project that say what a function needs, or would if they were there; relative to it. */
export function needsFiles(project: Project, spec: FunctionSpec): string[] {
  if (usesInstalled(spec)) return [];
  if (spec.needs?.kind === 'file') return [spec.needs.path, ...otherManifests(project, spec.needs.path)];
  const found = findLock(project, spec);
  const all = upwards(spec.source).flatMap((folder) => LOCKS.map((name) => joinPath(folder, name)));
  return found === undefined ? all : [...all.slice(0, all.indexOf(found) + 1), ...otherManifests(project, found)];
}

/** Locks that say nothing of workspaces leave that to their package.json files. */
function otherManifests(project: Project, lock: string): string[] {
  return baseOf(lock) === 'yarn.lock' ? workspaceManifests(project, folderOf(lock)) : [];
}

/** Whether the sheet says that what is installed in the source folder is to be packed, locked or not. */
export function usesInstalled({ needs }: FunctionSpec): boolean {
  return needs?.kind === 'file' && /(?:^|\/)node_modules$/.test(needs.path);
}

/** The lock in the source folder, or else in the nearest folder above it that has the source folder as a workspace. */
function findLock(project: Project, spec: FunctionSpec): string | undefined {
  if (!existsSync(join(project.root, spec.source, MANIFEST))) return undefined;
  for (const folder of upwards(spec.source)) {
    const from = relativeTo(folder, spec.source);
    const path = LOCKS.map((name) => joinPath(folder, name)).find((one) => existsSync(join(project.root, one)));
    if (path !== undefined && (from === '' || speaksOf(project, path, from))) return path;
  }
  return undefined;
}

/** Whether a folder is among the workspaces of a lock. */
function speaksOf(project: Project, lock: string, from: string): boolean {
  if (baseOf(lock) === 'yarn.lock')
    return workspacesOf(project, folderOf(lock)).all.some(({ folder }) => folder === from);
  return lockSpeaksOf(lock, read(project, lock), from);
}

/** Whether a lock that lists workspaces has a folder, relative to its own, among them. */
export function lockSpeaksOf(lock: string, text: string, from: string): boolean {
  return baseOf(lock) === 'pnpm-lock.yaml'
    ? new RegExp(`^  ['"]?${literalPattern(from)}['"]?:`, 'm').test(text)
    : text.includes(`${JSON.stringify(from)}:`);
}

function refuseUnsettled(project: Project, spec: FunctionSpec): void {
  const path = join(project.root, spec.source, MANIFEST);
  if (!existsSync(path) || existsSync(join(project.root, spec.source, 'node_modules'))) return;
  let needed: string[];
  try {
    const { dependencies } = JSON.parse(readTextNow(path)) as {
      dependencies?: object;
    };
    needed = Object.keys(dependencies ?? {});
  } catch {
    // What is wrong with it comes up where it is read for what it says.
    return;
  }
  if (needed.length === 0) return;
  throw new EmballageError('REQUIREMENTS_INVALID', {
    doing: `reading what ${spec.name} needs`,
    where: joinPath(spec.source, MANIFEST),
    expected: `a lock (${listed(LOCKS, 'or')}) beside it or above it, since it asks for ${needed.slice(0, 3).join(', ')}`,
    found: 'none that speaks of this folder',
    mend: 'run `npm install --package-lock-only` there, or what your package manager has for it, and keep the file',
  });
}

function relativeTo(folder: string, path: string): string {
  return folder === ''
    ? path
    : path === folder
      ? ''
      : path.startsWith(`${folder}/`)
        ? path.slice(folder.length + 1)
        : path;
}

function read(project: Project, path: string): string {
  return readTextFile(join(project.root, path), {
    doing: 'reading the packages',
    shown: path,
    maxBytes: MAX_BYTES,
    mendMissing: 'write it with your package manager, or correct `needs`',
  });
}
