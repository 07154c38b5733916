/**
 * The package that a file belongs to, by where it lies; '' for what is in no package.
 * `node_modules/a/node_modules/@b/c/lib/d.js` gives `node_modules/a/node_modules/@b/c`.
 */
export function ownerOf(path: string): string {
  return /^(?:.*\/)?node_modules\/(?:@[^/]+\/)?[^/]+(?=\/)/.exec(path)?.[0] ?? '';
}

import { folderOf, joinPath } from '../../../base/paths';

/** What Node.js finds first when a package is looked for from a folder: in its own `node_modules`, then in those above. */
export function nearestInstalled<T>(name: string, from: string, at: (path: string) => T | undefined): T | undefined {
  for (let folder = from; ; folder = folderOf(folder)) {
    const found = folder.endsWith('node_modules') ? undefined : at(joinPath(folder, `node_modules/${name}`));
    if (found !== undefined || folder === '') return found;
  }
}
