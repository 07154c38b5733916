/** The packages of a project that lie side by side: what the `workspaces` of the outermost package.json lead to. */
import { readTextNow } from '../../../disk/to-read';
import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import picomatch from 'picomatch';
import { joinPath } from '../../../base/paths';
import type { Project } from '../../../project/targets';
import { asRecord, manifestOf, type LockFolder, type LockFolders } from '../packages';

const MAX_FOLDERS = 10_000;
const MAX_DEPTH = 12;

/** @param base the folder of the lock, relative to the project */
export function workspacesOf(project: Project, base: string): LockFolders {
  const all = [...new Set(['', ...foldersIn(project, base)])].flatMap(
    (folder) => readFolder(project, base, folder) ?? [],
  );
  return { all, named: (name) => all.find((one) => one.folder !== '' && one.name === name) };
}

/** Relative to the project, for those that count. */
export function workspaceManifests(project: Project, base: string): string[] {
  return workspacesOf(project, base).all.map(({ folder }) => joinPath(base, joinPath(folder, 'package.json')));
}

function readFolder(project: Project, base: string, folder: string): LockFolder | undefined {
  const value = manifestAt(join(project.root, base, folder));
  if (value === undefined) return undefined;
  const text = (one: unknown): string => (typeof one === 'string' ? one : '');
  return { folder, name: text(value.name), version: text(value.version), manifest: manifestOf(value) };
}

function manifestAt(folder: string): Record<string, unknown> | undefined {
  try {
    return asRecord(JSON.parse(readTextNow(join(folder, 'package.json'))));
  } catch {
    // Not every folder that a pattern leads to is a package.
    return undefined;
  }
}

function foldersIn(project: Project, base: string): string[] {
  const root = join(project.root, base);
  const { workspaces } = manifestAt(root) ?? {};
  const stated = Array.isArray(workspaces) ? workspaces : asRecord(workspaces).packages;
  const patterns = (Array.isArray(stated) ? stated : []).map((one) => String(one).replace(/^\.\/|\/+$/g, ''));
  const wanted = patterns.filter((one) => !one.startsWith('!'));
  if (wanted.length === 0) return [];
  const isWanted = picomatch(wanted, {
    ignore: patterns.filter((one) => one.startsWith('!')).map((one) => one.slice(1)),
  });
  const depth = wanted.some((one) => one.includes('**'))
    ? MAX_DEPTH
    : Math.max(...wanted.map((one) => one.split('/').length));
  const found: string[] = [];
  const look = (folder: string, level: number): void => {
    if (level > depth || found.length > MAX_FOLDERS) return;
    for (const name of foldersOf(join(root, folder))) {
      const path = joinPath(folder, name);
      if (isWanted(path)) found.push(path);
      look(path, level + 1);
    }
  };
  look('', 1);
  return found.sort();
}

function foldersOf(path: string): string[] {
  try {
    return readdirSync(path, { withFileTypes: true })
      .filter((one) => one.isDirectory() && one.name !== 'node_modules' && !one.name.startsWith('.'))
      .map((one) => one.name);
  } catch {
    return [];
  }
}
