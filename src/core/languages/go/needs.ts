/** What a Go function needs from others, as Go has summed it up. */
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { folderOf, joinPath, upwards } from '../../base/paths';
import { contentDigest } from '../../disk/digest';
import type { Project } from '../../project/targets';
import type { FunctionSpec } from '../../sheet';
import { findLock, refuseProblems } from '../compiled/needs';
import type { StatedNeeds } from '../language';
import { readGoSum, type GoFile } from './go-sum';

const LOCK = 'go.sum';
const VENDORED = 'vendor/modules.txt';

export interface GoNeeds extends StatedNeeds {
  readonly modules: readonly GoFile[];
}

/** Undefined where it needs nothing, or has all of it in the project. */
export function readGoNeeds(project: Project, spec: FunctionSpec<'go'>): GoNeeds | undefined {
  const lock = findLock(project, spec, LOCK);
  if (lock === undefined) return undefined;
  if (existsSync(join(project.root, folderOf(lock.path), VENDORED))) return undefined;
  const { files, problems } = readGoSum(lock.text, lock.path);
  if (files.length + problems.length === 0) return undefined;
  refuseProblems(spec, problems);
  const inputs = contentDigest(JSON.stringify([[], files, spec.sources])).slice(0, 32);
  return { files: [lock.path], inputs, modules: files };
}

/** The sums where they lie or would lie, and what says that modules lie beside them. */
export function lockFiles(_project: Project, spec: FunctionSpec<'go'>): string[] {
  const locks = spec.needs?.kind === 'file' ? [spec.needs.path] : upwards(spec.source).map((at) => joinPath(at, LOCK));
  return [...locks, ...locks.map((path) => joinPath(folderOf(path), VENDORED))];
}
