/** Watches what an artifact is made from. */
import { basename } from 'node:path';
import { watch } from 'chokidar';
import { messageOf, systemCode } from '../../core/base/errors';

/** Never part of what is built from a source folder as it is edited. */
const PASSED_OVER = new Set(['node_modules', '.emballage', '.git', '.hg', 'out']);
/** Editors write a file in several steps. */
const SETTLE_MS = 40;

export interface Watching {
  close(): void;
}

export interface WatchRequest {
  /** Absolute paths: folders, with all that lies below, and files. */
  readonly paths: readonly string[];
  /** Told once things have settled. */
  readonly onChange: () => void;
  /** Told what cannot be watched, and what to do. */
  readonly onTrouble: (found: string, mend: string) => void;
}

/** Resolves when everything is watched. */
export async function startWatching({ paths, onChange, onTrouble }: WatchRequest): Promise<Watching> {
  let timer: NodeJS.Timeout | undefined;
  let isToldOfLimit = false;
  const watcher = watch([...paths], {
    ignoreInitial: true,
    ignored: (path) => !paths.includes(path) && PASSED_OVER.has(basename(path)),
  });
  watcher.on('all', () => {
    clearTimeout(timer);
    timer = setTimeout(onChange, SETTLE_MS);
  });
  watcher.on('error', (error) => {
    const code = systemCode(error);
    if (code !== 'ENOSPC' && code !== 'EMFILE') onTrouble(messageOf(error), 'start it again');
    else if (!isToldOfLimit) {
      isToldOfLimit = true;
      onTrouble(
        'the system watches no more folders for this user, so changes in some are not seen',
        'raise the limit (Linux: `fs.inotify.max_user_watches`), or watch less elsewhere',
      );
    }
  });
  await new Promise<void>((resolve) => watcher.once('ready', resolve));
  return {
    close: () => {
      clearTimeout(timer);
      void watcher.close();
    },
  };
}
