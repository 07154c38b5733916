/**
 * Watches folders with all that lies below. Each folder is watched by itself: files come and go by other names when
 * editors save, and only their folder sees that on every system.
 */
import { readdirSync, watch, type FSWatcher } from 'node:fs';
import { join } from 'node:path';

/** Never part of what is built from a source folder as it is edited. */
const PASSED_OVER = /^(?:node_modules|\.emballage|\.git|\.hg|out)$/;
/** Editors write a file in several steps. */
const SETTLE_MS = 40;

export class FolderWatch {
  readonly #watchers = new Map<string, FSWatcher>();
  readonly #roots: readonly string[];
  readonly #onChange: () => void;
  #timer: NodeJS.Timeout | undefined;

  /** @param roots absolute paths; @param onChange told once things have settled */
  constructor(roots: readonly string[], onChange: () => void) {
    this.#roots = roots;
    this.#onChange = onChange;
    this.#lookAgain();
  }

  /** Also watches one file, by its folder. */
  alsoFile(folder: string, name: string): void {
    const watcher = watch(folder, (_event, changed) => {
      if (changed === name) this.#changed();
    });
    this.#watchers.set(`${folder}/${name}`, watcher);
  }

  close(): void {
    clearTimeout(this.#timer);
    for (const watcher of this.#watchers.values()) watcher.close();
  }

  #changed(): void {
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => {
      this.#lookAgain();
      this.#onChange();
    }, SETTLE_MS);
  }

  /** Folders may have come since. */
  #lookAgain(): void {
    for (const root of this.#roots) this.#watchBelow(root);
  }

  #watchBelow(folder: string): void {
    if (!this.#watchers.has(folder))
      try {
        const watcher = watch(folder, (_event, name) => {
          if (name === null || !PASSED_OVER.test(name)) this.#changed();
        });
        watcher.on('error', () => this.#forget(folder));
        this.#watchers.set(folder, watcher);
      } catch {
        // It is gone again.
        return;
      }
    for (const name of foldersIn(folder)) this.#watchBelow(join(folder, name));
  }

  #forget(folder: string): void {
    this.#watchers.get(folder)?.close();
    this.#watchers.delete(folder);
  }
}

function foldersIn(folder: string): string[] {
  try {
    const entries = readdirSync(folder, { withFileTypes: true });
    return entries.filter((one) => one.isDirectory() && !PASSED_OVER.test(one.name)).map(({ name }) => name);
  } catch {
    return [];
  }
}
