/**
 * Files of the project beside the source folder that an executable was made of: packages of a workspace, headers. Which
 * they are is known from the last build, by what the compiler said it had read.
 */
import { existsSync, lstatSync, readdirSync, readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { isInside } from '../../base/paths';
import { contentDigest } from '../../disk/digest';
import { stampOf } from '../../disk/stamp';
import { writeWhole } from '../../disk/write';
import { OUTPUT_FOLDER, STATE_FOLDER } from '../../fileset/selection';
import { isForCompiler } from '.';
import { isNative, type FunctionSpec } from '../../sheet';
import { stateFolder, type Project } from '../../project/targets';

function notePath(project: Project, spec: FunctionSpec): string {
  return join(stateFolder(project), 'native', spec.name, 'read.json');
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
  const all = [...new Set([...extraFiles(project, spec), ...files])].sort();
  writeWhole(notePath(project, spec), JSON.stringify(all), notePath(project, spec));
}

/** Names of the files beside them: for some languages a new one in a folder is part of the package. */
export function extraNeighbours(project: Project, spec: FunctionSpec): string[] {
  const folders = [...new Set(extraFiles(project, spec).map((path) => dirname(path)))];
  const { language } = spec.runtime;
  return folders.flatMap((folder) =>
    readdirSync(join(project.root, folder))
      .filter((name) => isNative(language) && isForCompiler(name, language))
      .sort()
      .map((name) => join(folder, name)),
  );
}

/** How these files stand, without reading them: changes whenever one of them does. */
export function extraState(project: Project, spec: FunctionSpec): string {
  const stamps = extraFiles(project, spec).map((path) => {
    const stat = lstatSync(join(project.root, path), { throwIfNoEntry: false });
    return [path, stat === undefined ? [] : Object.values(stampOf(stat))];
  });
  return stamps.length === 0 ? '' : contentDigest(JSON.stringify([stamps, extraNeighbours(project, spec)]));
}
