/** The files of the project that an SDK publishes from: the folders of its projects, and settings above them. */
import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import { folderOf, joinPath, upwards } from '../../base/paths';
import { OUTPUT_FOLDER } from '../../fileset/selection';
import type { Project } from '../../project/targets';
import type { FunctionSpec } from '../../sheet';
import { projectFileOf, readProject } from './locks/needs';
import { PROJECT_FILE } from './packages/project-file';

/** Made by earlier builds, in the folders of projects. */
const BUILT = /^(?:bin|obj)$/;
/** Files above a project that the SDK reads. */
const ABOVE = /^(?:Directory\.(?:Build\.props|Build\.targets|Packages\.props)|global\.json)$/;

/** Paths in the project, in order; none for a publish folder. */
export function projectSources(project: Project, spec: FunctionSpec<'dotnet'>): string[] {
  const own = projectFileOf(project, spec);
  if (own === undefined) return [];
  const folders = new Set(
    [own, ...readProject(project, spec, own).files].filter((one) => PROJECT_FILE.test(one)).map(folderOf),
  );
  const files = new Set<string>();
  for (const folder of folders) {
    takeBelow(project.root, folder, files);
    for (const above of upwards(folder))
      for (const name of readdirSync(join(project.root, above)).filter((one) => ABOVE.test(one)))
        files.add(joinPath(above, name));
  }
  return [...files].sort();
}

function takeBelow(root: string, folder: string, files: Set<string>): void {
  for (const one of readdirSync(join(root, folder), { withFileTypes: true })) {
    const path = joinPath(folder, one.name);
    const isSkipped = BUILT.test(one.name) || one.name.startsWith('.') || path === OUTPUT_FOLDER;
    if (one.isDirectory() && !isSkipped) takeBelow(root, path, files);
    else if (one.isFile()) files.add(path);
  }
}
