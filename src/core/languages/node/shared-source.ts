/** What a function's artifact depends on beside its source folder: packages of the project, and compiler settings. */
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { folderOf, joinPath, settlePath } from '../../base/paths';
import { contentDigest } from '../../disk/digest';
import { walkFolder, type WalkedItem } from '../../disk/walk';
import { makeSelection } from '../../fileset/selection';
import { isNative, type FunctionSpec } from '../../sheet';
import type { LockedFunction, LockedWorkspace } from '../../project/lockfile';
import { extraFiles } from '../compiled/files-read';
import type { Project } from '../../project/targets';

const SETTINGS = 'tsconfig.json';
const MAX_SETTINGS = 32;

/** Files of a package of the project, as they are packed: paths relative to its folder. */
export function workspaceFiles(project: Project, { folder }: LockedWorkspace): readonly WalkedItem[] {
  const selection = makeSelection([], []);
  const isWanted = (path: string, name: string, isFolder: boolean): boolean =>
    name !== 'node_modules' && selection.leftOutBy(path, name, isFolder) === undefined;
  return walkFolder(join(project.root, folder), folder, {
    links: 'follow',
    enter: (path, name) => isWanted(path, name, true),
    take: (path, name) => isWanted(path, name, false),
  }).items.filter(({ kind }) => kind === 'file');
}

/** Compiler settings that count for a function, the nearest first: the file, and what it extends, in the project. */
export function compilerSettings(project: Project, spec: FunctionSpec): string[] {
  if (spec.runtime.language !== 'node') return [];
  for (let folder = spec.source; ; folder = folderOf(folder)) {
    const path = joinPath(folder, SETTINGS);
    if (existsSync(join(project.root, path))) return withExtended(project, path);
    if (folder === '') return [];
  }
}

/** All these files, relative to the project. */
export function sharedFiles(project: Project, spec: FunctionSpec, locked: LockedFunction | undefined): string[] {
  return [
    ...(isNative(spec.runtime.language) ? extraFiles(project, spec) : []),
    ...compilerSettings(project, spec),
    ...(locked?.workspaces ?? []).flatMap((one) =>
      workspaceFiles(project, one).map(({ path }) => joinPath(one.folder, path)),
    ),
  ];
}

/** How these files stand, without reading what may be big: changes whenever one of them does. */
export function sharedState(project: Project, spec: FunctionSpec, locked: LockedFunction | undefined): string {
  const settings = compilerSettings(project, spec).map((path) => [
    path,
    readFileSync(join(project.root, path), 'utf8'),
  ]);
  const files = (locked?.workspaces ?? []).map((one) => [
    one,
    workspaceFiles(project, one).map(({ path, mode, stamp }) => [path, mode, Object.values(stamp)]),
  ]);
  return settings.length + files.length === 0 ? '' : contentDigest(JSON.stringify([settings, files]));
}

function withExtended(project: Project, first: string): string[] {
  const found = [first];
  for (let i = 0; i < found.length && found.length < MAX_SETTINGS; i++) {
    const path = found[i] ?? '';
    const text = readFileSync(join(project.root, path), 'utf8');
    for (const [, extended = ''] of text.matchAll(/"extends"\s*:\s*\[?\s*"(\.[^"]+)"/g)) {
      const target = settlePath(joinPath(folderOf(path), extended));
      const file = [target, `${target ?? ''}.json`].find((one) => one !== undefined && isFileIn(project, one));
      if (file !== undefined && !found.includes(file)) found.push(file);
    }
  }
  return found;
}

function isFileIn(project: Project, path: string): boolean {
  return path.endsWith('.json') && existsSync(join(project.root, path));
}
