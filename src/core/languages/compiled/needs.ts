/** What locks of compiled languages have in common: where they lie, and that they are read whole. */
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { EmballageError, type Problem } from '../../base/errors';
import { joinPath, upwards } from '../../base/paths';
import { count } from '../../base/text';
import { readTextFile } from '../../disk/read-text';
import type { Project } from '../../project/targets';
import type { FunctionSpec } from '../../sheet';

const MAX_BYTES = 16 * 1024 * 1024;

/** The lock of a function: its path, relative to the project, and its text; undefined where there is none. */
export function findLock(
  project: Project,
  spec: FunctionSpec,
  name: string,
): { readonly path: string; readonly text: string } | undefined {
  const path = spec.needs?.kind === 'file' ? spec.needs.path : findUpwards(project, spec.source, name);
  if (path === undefined) return undefined;
  const text = readTextFile(join(project.root, path), {
    doing: 'reading requirements',
    shown: path,
    maxBytes: MAX_BYTES,
    mendMissing: 'correct the path or write the file',
  });
  return { path, text };
}

/** @throws EmballageError REQUIREMENTS_INVALID with every mistake */
export function refuseProblems(spec: FunctionSpec, problems: readonly Problem[]): void {
  if (problems.length === 0) return;
  throw new EmballageError('REQUIREMENTS_INVALID', {
    doing: `reading what ${spec.name} needs`,
    found: count(problems.length, 'mistake'),
    mend: 'mend what is listed',
    problems,
  });
}

/** The nearest file of that name in a folder or one above it, within the project; relative to it. */
export function findUpwards(project: Project, folder: string, name: string): string | undefined {
  return upwards(folder)
    .map((at) => joinPath(at, name))
    .find((path) => existsSync(join(project.root, path)));
}
