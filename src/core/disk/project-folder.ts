/** What loading a sheet asks of the disk. */
import { readdirSync, realpathSync, statSync } from 'node:fs';
import { join, relative, sep } from 'node:path';
import { readTextFile } from './read-text';

export interface ProjectFolder {
  /** What stands at a path relative to the project, links followed. */
  kind(path: string): 'file' | 'folder' | 'other' | 'missing';
  /** Whether a path, links followed, is inside the project. */
  isInside(path: string): boolean;
  /** Names in a folder; empty where there are none. */
  names(path: string): string[];
  /** Text of a file. */
  read(path: string, doing: string, shown: string, maxBytes: number): string;
}

/** @param root absolute path of the project folder */
export function projectFolder(root: string): ProjectFolder {
  return {
    kind(path) {
      const stat = statSync(join(root, path), { throwIfNoEntry: false });
      if (stat === undefined) return 'missing';
      return stat.isFile() ? 'file' : stat.isDirectory() ? 'folder' : 'other';
    },
    isInside(path) {
      const away = relative(realpathSync(root), realpathSync(join(root, path)));
      return away !== '..' && !away.startsWith(`..${sep}`);
    },
    names(path) {
      try {
        return readdirSync(join(root, path));
      } catch {
        return [];
      }
    },
    read(path, doing, shown, maxBytes) {
      return readTextFile(join(root, path), {
        doing,
        shown,
        maxBytes,
        mendMissing: 'correct the path or write the file',
      });
    },
  };
}
