/** What a build of functions reads, for building it elsewhere. */
import { statSync } from 'node:fs';
import { join } from 'node:path';
import { isPattern } from '../../base/paths';
import { listTree } from '../../disk/copy-project';
import { surveyIncluded } from '../../fileset/include';
import { OUTPUT_FOLDER, STATE_FOLDER } from '../../fileset/selection';
import { workOf } from '../../languages';
import { lockNameOf } from '../../project/lock/lockfile';
import type { Project } from '../../project/targets';
import type { FunctionSpec } from '../../sheet';
import { openForm } from '../../forms';
import { lockedFunction, statedNeeds } from '../lock';

export interface FilesToCopy {
  readonly files: string[];
  readonly folders: string[];
  /** What they hold is known by its digest; they only have to be there. */
  readonly emptyFiles: string[];
}

/** Folders of other functions are there, but empty. Paths are relative to the project. */
export async function filesToCopy(project: Project, functions: readonly FunctionSpec[]): Promise<FilesToCopy> {
  const files = new Set(project.files);
  const emptyFiles = new Set<string>();
  const folders = new Set<string>();
  const skip = (path: string, name: string): boolean =>
    path === OUTPUT_FOLDER || name === STATE_FOLDER || name === '.git';
  for (const spec of project.sheet.functions) {
    folders.add(spec.source);
    // Events that are named without a pattern have to be there for the sheet to be right.
    for (const event of spec.events) if (!isPattern(event)) files.add(event);
    for (const { path, isFolder } of await basePlaces(project, spec)) (isFolder ? folders : emptyFiles).add(path);
    for (const source of spec.sources) if (source.kind === 'folder') folders.add(source.at);
    if (spec.needs?.kind === 'file') files.add(spec.needs.path);
    for (const { file } of spec.beside) (functions.includes(spec) ? files : emptyFiles).add(file);
    if (!functions.includes(spec)) continue;
    for (const file of [...(await inputFiles(project, spec)), ...(await baseFiles(project, spec))]) files.add(file);
    for (const { at } of surveyIncluded({ projectRoot: project.root, ...spec }).items) files.add(at);
    const below = listTree(project.root, spec.source, skip);
    below.files.forEach((file) => files.add(file));
    below.folders.forEach((folder) => folders.add(folder));
  }
  return {
    files: [...files].filter((path) => isThere(project, path)),
    folders: [...folders],
    emptyFiles: [...emptyFiles],
  };
}

function isThere({ root }: Project, path: string): boolean {
  return statSync(join(root, path), { throwIfNoEntry: false }) !== undefined;
}

/** Where parts of what it stands on lie in the project. */
async function basePlaces(project: Project, spec: FunctionSpec) {
  const { base } = await openForm(spec.form);
  return base?.places(project, spec) ?? [];
}

/** What the language says that bytes depend on, the lock, and what states needs. Packages lie with the user, by digest. */
async function inputFiles(project: Project, spec: FunctionSpec): Promise<string[]> {
  const needs = await statedNeeds(project, spec);
  const locked = await lockedFunction(project, spec);
  const { files, folders } = (await workOf(spec)).dependsOn(project, spec, locked);
  return [
    ...(needs === undefined ? [] : [lockNameOf(project), ...needs.files]),
    ...files,
    ...folders.flatMap(({ folder, items }) =>
      items.flatMap(({ path, kind }) => (kind === 'file' ? [`${folder}/${path}`] : [])),
    ),
  ];
}

/** The lock names the blobs of a base, which lie with the user, by digest. */
async function baseFiles(project: Project, spec: FunctionSpec): Promise<string[]> {
  const { base } = await openForm(spec.form);
  return (await base?.locked(project, spec)) === undefined ? [] : [lockNameOf(project)];
}
