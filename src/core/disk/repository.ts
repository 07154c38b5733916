/** Walks a repository for what is kept in version control: files by folder, without what ignore files leave out. Reads no file. */
import { readTextNow } from './to-read';
import { existsSync, readdirSync, statSync, type Dirent } from 'node:fs';
import { join, relative } from 'node:path';
import type { Ignore } from 'ignore';
import { yieldNow } from '../base/yield';
import { messageOf } from '../base/errors';
import { ancestors, joinPath } from '../base/paths';

export interface WalkedRepository {
  /** Names of files by folder, '' for the root; both in order. */
  readonly folders: ReadonlyMap<string, readonly string[]>;
  readonly files: number;
  /** What was passed over, and why. */
  readonly notes: readonly { readonly where: string; readonly text: string }[];
}

export interface RepositoryOptions {
  /** Whether a folder is left alone, whatever ignore files say. */
  readonly skips: (path: string, name: string) => boolean;
  /** Called now and then. */
  readonly onFolders: (count: number) => void;
}

const IGNORE_FILE = '.gitignore';
const MAX_IGNORE_BYTES = 1024 * 1024;
const MAX_FILES = 500_000;
const MAX_DEPTH = 64;
const BREATHE_EVERY = 200;

interface Rules {
  /** Folder that they speak of, relative to the root; begins with `../` for those above it. */
  readonly base: string;
  readonly rules: Ignore;
}

/** @param root absolute path */
export async function walkRepository(root: string, options: RepositoryOptions): Promise<WalkedRepository> {
  const walk = new RepositoryWalk(root, options);
  await walk.folder('', rulesAbove(root), 0);
  return { folders: walk.folders, files: walk.files, notes: walk.notes };
}

class RepositoryWalk {
  readonly folders = new Map<string, readonly string[]>();
  readonly notes: { readonly where: string; readonly text: string }[] = [];
  files = 0;
  readonly #root: string;
  readonly #options: RepositoryOptions;

  constructor(root: string, options: RepositoryOptions) {
    this.#root = root;
    this.#options = options;
  }

  async folder(path: string, above: readonly Rules[], depth: number): Promise<void> {
    if (this.files > MAX_FILES) return;
    if (this.folders.size % BREATHE_EVERY === 0) {
      this.#options.onFolders(this.folders.size);
      await yieldNow();
    }
    const entries = this.#list(path);
    const rules = entries.some(({ name }) => name === IGNORE_FILE) ? [...above, ...this.#rulesIn(path)] : above;
    const wanted = entries.filter((entry) => this.#isWanted(path, entry, rules));
    const names = wanted.filter((entry) => entry.isFile()).map(({ name }) => name);
    this.folders.set(path, names);
    this.files += names.length;
    if (this.files > MAX_FILES) {
      this.notes.push({ where: path, text: `the survey ends here: more than ${String(MAX_FILES)} files` });
      return;
    }
    const below = wanted.filter((entry) => entry.isDirectory());
    if (depth >= MAX_DEPTH && below.length > 0)
      this.notes.push({ where: path, text: `passed over: more than ${String(MAX_DEPTH)} folders deep` });
    else for (const { name } of below) await this.folder(joinPath(path, name), rules, depth + 1);
  }

  #list(path: string): Dirent[] {
    try {
      return readdirSync(join(this.#root, path), { withFileTypes: true }).sort((a, b) => (a.name < b.name ? -1 : 1));
    } catch (error) {
      this.notes.push({ where: path, text: `passed over: ${messageOf(error)}` });
      return [];
    }
  }

  #isWanted(folder: string, entry: Dirent, rules: readonly Rules[]): boolean {
    const path = joinPath(folder, entry.name);
    if (entry.isSymbolicLink()) {
      if (!isIgnored(path, false, rules) && leadsToFolder(join(this.#root, path)))
        this.notes.push({ where: path, text: 'passed over: a link to a folder' });
      return false;
    }
    if (entry.isDirectory()) return !this.#options.skips(path, entry.name) && !isIgnored(path, true, rules);
    return entry.isFile() && !isIgnored(path, false, rules);
  }

  #rulesIn(path: string): Rules[] {
    try {
      return [{ base: path, rules: readRules(join(this.#root, path, IGNORE_FILE)) }];
    } catch (error) {
      this.notes.push({ where: joinPath(path, IGNORE_FILE), text: `passed over: ${messageOf(error)}` });
      return [];
    }
  }
}

/** The deepest rules that speak of a path decide. */
function isIgnored(path: string, isFolder: boolean, all: readonly Rules[]): boolean {
  for (const { base, rules } of [...all].reverse()) {
    const inside = base.startsWith('\0')
      ? `${base.slice(1)}/${path}`
      : base === ''
        ? path
        : path.slice(base.length + 1);
    const { ignored, unignored } = rules.test(isFolder ? `${inside}/` : inside);
    if (ignored || unignored) return ignored;
  }
  return false;
}

/** Ignore files between a folder and the repository that it lies in, the outermost first. */
function rulesAbove(root: string): Rules[] {
  const all = ancestors(root);
  const top = all.findIndex((folder) => existsSync(join(folder, '.git')));
  if (top < 0) return [];
  return all
    .slice(0, top + 1)
    .reverse()
    .flatMap((folder, i) => {
      const files = [...(i === 0 ? [join(folder, '.git/info/exclude')] : []), join(folder, IGNORE_FILE)];
      // What lies in the folder itself is read with it.
      const wanted = folder === root ? files.slice(0, -1) : files;
      const inside = relative(folder, root);
      const base = inside === '' ? '' : `\0${inside}`;
      return wanted.flatMap((file) => {
        try {
          return existsSync(file) ? [{ base, rules: readRules(file) }] : [];
        } catch {
          // What cannot be read ignores nothing.
          return [];
        }
      });
    });
}

function readRules(file: string): Ignore {
  if (statSync(file).size > MAX_IGNORE_BYTES) throw new Error('it is too big for an ignore file');
  // Loaded only where there are such files.
  // eslint-disable-next-line @typescript-eslint/no-require-imports
  const ignore = require('ignore') as typeof import('ignore');
  return ignore({ ignorecase: false }).add(readTextNow(file));
}

function leadsToFolder(path: string): boolean {
  try {
    return statSync(path).isDirectory();
  } catch {
    return false;
  }
}
