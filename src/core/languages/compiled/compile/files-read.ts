/**
 * Files of the project beside the source folder that an executable was made of: packages of a workspace, headers. Which
 * they are is known from the last build, by what the compiler said it had read.
 */
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { isInside } from '../../../base/paths';
import { writeWhole } from '../../../disk/write';
import { OUTPUT_FOLDER, STATE_FOLDER } from '../../../fileset/selection';
import type { Inputs } from '../../../project/inputs';
import type { Project } from '../../../project/targets';
import type { FunctionSpec } from '../../../sheet';
import { KEPT } from '../caches';

function notePath(project: Project, spec: FunctionSpec): string {
  return project.state.file(KEPT.work, spec.name, 'read.json');
}

/** Relative to the project, sorted; none before the first build. */
export function extraFiles(project: Project, spec: FunctionSpec): string[] {
  try {
    const files = JSON.parse(readFileSync(notePath(project, spec), 'utf8')) as string[];
    return files.filter((path) => existsSync(join(project.root, path)));
  } catch {
    return [];
  }
}

/** @param read absolute paths of all files that were read for one architecture; those for the others stay noted */
export function noteExtraFiles(project: Project, spec: FunctionSpec, read: readonly string[]): void {
  const source = join(project.root, spec.source);
  const own = [STATE_FOLDER, OUTPUT_FOLDER].map((name) => join(project.root, name));
  const files = read
    .filter((path) => isInside(project.root, path) && !isInside(source, path))
    .filter((path) => !own.some((folder) => isInside(folder, path)))
    .map((path) => path.slice(project.root.length + 1));
  learnExtraFiles(project, spec, files);
}

/** @param files relative to the project */
export function learnExtraFiles(project: Project, spec: FunctionSpec, files: readonly string[]): void {
  const all = [...new Set([...extraFiles(project, spec), ...files])].sort();
  writeWhole(notePath(project, spec), JSON.stringify(all), notePath(project, spec));
}

/**
 * What an executable depends on beside the source folder. For some languages a new file in a folder is part of the package,
 * so the names of those that a compiler would read count too.
 */
export function filesReadInputs(
  project: Project,
  spec: FunctionSpec,
  isForCompiler: (path: string) => boolean,
): Inputs {
  const files = extraFiles(project, spec);
  const listed = [...new Set(files.map((path) => dirname(path)))];
  const neighbours = listed.flatMap((folder) =>
    readdirSync(join(project.root, folder))
      .filter(isForCompiler)
      .sort()
      .map((name) => join(folder, name)),
  );
  return { values: { neighbours }, files, folders: [], listed };
}
