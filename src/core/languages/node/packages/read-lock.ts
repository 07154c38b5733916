/** The locks of Node.js packages that are read, by the name of the file; each comes to packages and their places. */
import { baseOf, folderOf, joinPath } from '../../../base/paths';
import { printable } from '../../../base/text';
import { layOut, type LockFolders, type LockGraph } from './lock-graph';
import { invalid, readPackageLock, writtenAnew, type PackageLock } from './package-lock';
import { readPnpmLock } from './pnpm-lock';
import { isLaterYarn, readLaterYarnLock, readYarnLock } from './yarn-lock';

/** In the order in which they are looked for in a folder. */
export const LOCKS = ['package-lock.json', 'npm-shrinkwrap.json', 'yarn.lock', 'pnpm-lock.yaml'] as const;

export interface ReadLock {
  readonly packages: PackageLock;
  /** Whether the lock says what platforms packages are for. */
  readonly hasPlatforms: boolean;
  /** Whether it says what engines they want, and whether they have scripts that run at their installation. */
  readonly hasScripts: boolean;
  /** Whether it states digests of the files that registries have. */
  readonly hasDigests: boolean;
}

/**
 * @param path of the lock, relative to the project
 * @param from the function's folder, relative to the lock
 * @throws EmballageError REQUIREMENTS_INVALID
 */
export function readLock(text: string, path: string, from: string, folders: () => LockFolders): ReadLock {
  const name = baseOf(path);
  if (name !== 'yarn.lock' && name !== 'pnpm-lock.yaml')
    return { packages: readPackageLock(text, path), hasPlatforms: true, hasScripts: true, hasDigests: true };
  const isLater = name === 'yarn.lock' && isLaterYarn(text);
  const read = name === 'pnpm-lock.yaml' ? readPnpmLock : isLater ? readLaterYarnLock : readYarnLock;
  const graph = read(text, path, folders());
  return {
    packages: layOut(graph, start(graph, from, path)),
    hasPlatforms: name !== 'yarn.lock' || isLater,
    hasScripts: false,
    hasDigests: !isLater,
  };
}

function start(graph: LockGraph, from: string, path: string) {
  const found = graph.get(from);
  if (found !== undefined) return found;
  const folder = joinPath(folderOf(path), from);
  throw invalid(
    path,
    `the folder \`${printable(folder)}\` among its workspaces`,
    'none of that name',
    `run ${writtenAnew(path)}`,
  );
}
