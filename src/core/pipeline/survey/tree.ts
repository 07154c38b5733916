/** A walked repository as languages look at it. */
import { join } from 'node:path';
import { joinPath } from '../../base/paths';
import { readTextFile } from '../../disk/read-text';
import { walkRepository, type WalkedRepository } from '../../disk/repository';
import type { SurveyedTree } from '../../languages';
import { STATE_FOLDER } from '../../fileset/selection';

/** Larger files are no source that people write. */
const MAX_TEXT_BYTES = 2 * 1024 * 1024;
/** Folders that tools fill, where no ignore file says so. */
const FILLED = /^(?:node_modules|bower_components|__pycache__|site-packages|venv|env|virtualenv)$/;

export interface Surveyed {
  readonly tree: SurveyedTree;
  readonly walked: WalkedRepository;
}

/** @param root absolute path @param outputs folders of ours, by their path */
export async function readTree(root: string, onFolders: (count: number) => void): Promise<Surveyed> {
  const walked = await walkRepository(root, {
    onFolders,
    skips: (path, name) => name.startsWith('.') || FILLED.test(name) || path === 'out' || name === STATE_FOLDER,
  });
  return { walked, tree: treeOf(root, walked.folders) };
}

function treeOf(root: string, folders: WalkedRepository['folders']): SurveyedTree {
  const sets = new Map<string, ReadonlySet<string>>();
  const namesIn = (folder: string): ReadonlySet<string> => {
    const known = sets.get(folder) ?? new Set(folders.get(folder) ?? []);
    sets.set(folder, known);
    return known;
  };
  return {
    root,
    folders,
    has(path) {
      const slash = path.lastIndexOf('/');
      return namesIn(slash < 0 ? '' : path.slice(0, slash)).has(path.slice(slash + 1));
    },
    text(path) {
      try {
        return readTextFile(join(root, path), {
          doing: 'surveying',
          shown: path,
          maxBytes: MAX_TEXT_BYTES,
          mendMissing: 'put it back',
        });
      } catch {
        // What is no text has nothing to say to a survey.
        return undefined;
      }
    },
    *below(folder) {
      for (const [one, names] of folders)
        if (folder === '' || one === folder || one.startsWith(`${folder}/`))
          for (const name of names) yield joinPath(one, name);
    },
  };
}
