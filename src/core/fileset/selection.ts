/** Decides what of a source folder is wanted: the built-in exclusions, the sheet's patterns, and what `keep` brings back. */
import type { Ignore } from 'ignore';
import type { FileSet, LeftOut } from './model';

const VERSION_CONTROL = new Set(['.git', '.hg', '.svn', '.bzr', '.jj', '.pijul', '_darcs', 'CVS']);
const EDITOR_FOLDERS = new Set(['.idea', '.vscode', '.vs', '.fleet', '.settings']);
/** What installers of packages keep for themselves: links to programs, caches, a lock of their own. */
const OF_INSTALLER = /(?:^|\/)node_modules\/\.(?:bin|cache|package-lock\.json|yarn-\w+|modules\.yaml)$/;
/** What tools keep logins in. */
const LOGIN_FILES = new Set(['.npmrc', '.netrc', '_netrc', '.pypirc', '.yarnrc.yml']);
const LITTER_NAMES = new Set(['.DS_Store', 'Thumbs.db', 'desktop.ini', '.directory']);
/** Backup and swap files of editors: `a~`, `.a.swp`, `#a#`, `.#a`. */
const LITTER_PATTERN = /^(?:.*~|\..*\.sw[a-p]|#.*#|\.#.*)$/;
/** What the tool itself writes. */
export const STATE_FOLDER = '.emballage';
export const OUTPUT_FOLDER = 'out';

export interface Selection {
  /** What leaves a path out, or undefined when it is wanted. */
  leftOutBy(path: string, name: string, isFolder: boolean): LeftOut['by'] | undefined;
  /** The `keep` pattern that wants a file. */
  keptBy(path: string): string | undefined;
  /** Whether a folder that is left out must be searched all the same, since `keep` may want something in it. */
  readonly searchesAll: boolean;
}

/**
 * What is packed of a source folder.
 * @param leaveOut patterns of the sheet for what is not
 * @param keep and for what is all the same
 */
export function makeSelection(leaveOut: readonly string[], keep: readonly string[]): Selection {
  const left = leaveOut.length > 0 ? matcher(leaveOut) : undefined;
  const kept = keep.length > 0 ? matcher(keep) : undefined;
  return {
    leftOutBy(path, name, isFolder) {
      const builtIn = OF_INSTALLER.test(path)
        ? 'installed'
        : isFolder
          ? folderLeftOutBy(path, name)
          : fileLeftOutBy(name);
      return builtIn ?? (left?.ignores(isFolder ? `${path}/` : path) === true ? 'pattern' : undefined);
    },
    keptBy(path) {
      const verdict = kept?.test(path);
      return verdict?.ignored === true ? (verdict.rule?.pattern ?? 'keep') : undefined;
    },
    searchesAll: kept !== undefined,
  };
}

/** What the sheet asks for by name, each file with the pattern: by `keep`, or from elsewhere by `include`. */
export function keeperOf(keep: readonly string[], { entries }: Pick<FileSet, 'entries'>) {
  const selection = makeSelection([], keep);
  const stated = new Map(entries.map(({ path, reason }) => [path, reason.why === 'kept' ? reason.by : undefined]));
  return (path: string): string | undefined => selection.keptBy(path) ?? stated.get(path);
}

function folderLeftOutBy(path: string, name: string): LeftOut['by'] | undefined {
  if (VERSION_CONTROL.has(name)) return 'version-control';
  if (name === STATE_FOLDER || path === OUTPUT_FOLDER) return 'output-folder';
  return EDITOR_FOLDERS.has(name) ? 'editor-litter' : undefined;
}

function fileLeftOutBy(name: string): LeftOut['by'] | undefined {
  // A worktree or submodule has a file of this name in place of the folder.
  if (name === '.git') return 'version-control';
  if (LOGIN_FILES.has(name)) return 'login-file';
  return LITTER_NAMES.has(name) || LITTER_PATTERN.test(name) ? 'editor-litter' : undefined;
}

function matcher(patterns: readonly string[]): Ignore {
  // Loaded only by sheets that have patterns.
  // eslint-disable-next-line @typescript-eslint/no-require-imports
  const ignore = require('ignore') as typeof import('ignore');
  return ignore({ ignorecase: false }).add([...patterns]);
}
