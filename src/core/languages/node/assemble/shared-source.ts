/** What a function's artifact depends on beside its source folder: packages of the project, and compiler settings. */
import { readTextNow } from '../../../disk/to-read';
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { folderOf, joinPath, settlePath, upwards } from '../../../base/paths';
import { walkFolder, type WalkedItem } from '../../../disk/walk';
import { makeSelection } from '../../../fileset/selection';
import type { InputFolder, Inputs } from '../../../project/inputs';
import type { LockedFunction } from '../../../project/lock/lockfile';
import type { Project } from '../../../project/targets';
import type { FunctionSpec } from '../../../sheet';
import { needsFiles } from '../locks/needs';
import type { LockedWorkspace } from '../own';

const SETTINGS = 'tsconfig.json';
const MAX_SETTINGS = 32;

/** Everything but the source folder that the bytes of a Node.js function depend on. */
export function dependsOn(project: Project, spec: FunctionSpec, locked: LockedFunction | undefined): Inputs {
  return {
    values: {},
    files: [...needsFiles(project, spec), ...settingsFiles(project, spec)],
    folders: (locked?.node?.workspaces ?? []).map((one) => workspaceFolder(project, one)),
    listed: [],
  };
}

/** Files of a package of the project, as they are packed: paths relative to its folder. */
export function workspaceFiles(project: Project, workspace: LockedWorkspace): readonly WalkedItem[] {
  return workspaceFolder(project, workspace).items.filter(({ kind }) => kind === 'file');
}

function workspaceFolder(project: Project, { folder }: LockedWorkspace): InputFolder {
  const selection = makeSelection([], []);
  const isWanted = (path: string, name: string, isFolder: boolean): boolean =>
    name !== 'node_modules' && selection.leftOutBy(path, name, isFolder) === undefined;
  const { items, hasLinks } = walkFolder(join(project.root, folder), folder, {
    links: 'follow',
    enter: (path, name) => isWanted(path, name, true),
    take: (path, name) => isWanted(path, name, false),
  });
  return { folder, items, hasLinks };
}

/** Compiler settings that count for a function, the nearest first: the file, and what it extends, in the project. */
export function compilerSettings(project: Project, spec: FunctionSpec): string[] {
  const first = candidates(spec).find((path) => existsSync(join(project.root, path)));
  return first === undefined ? [] : withExtended(project, first);
}

/** The same, and those that would come before them if they were there. */
function settingsFiles(project: Project, spec: FunctionSpec): string[] {
  const all = candidates(spec);
  const found = compilerSettings(project, spec);
  const [first] = found;
  return first === undefined ? all : [...all.slice(0, all.indexOf(first)), ...found];
}

function candidates(spec: FunctionSpec): string[] {
  return upwards(spec.source).map((folder) => joinPath(folder, SETTINGS));
}

function withExtended(project: Project, first: string): string[] {
  const found = [first];
  for (let i = 0; i < found.length && found.length < MAX_SETTINGS; i++) {
    const path = found[i] ?? '';
    const text = readTextNow(join(project.root, path));
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
