/** Digests of what may be a file or a folder. */
import { statSync } from 'node:fs';
import { contentDigest, fileDigest } from './digest';
import { walkFolder } from './walk';

/** SHA-256 of a file, or over the paths and contents of all files of a folder. */
export function treeDigest(path: string): string {
  if (!statSync(path).isDirectory()) return fileDigest(path);
  const { items } = walkFolder(path, path, { links: 'keep', enter: () => true, take: () => true });
  const lines = items.map(({ path: name, kind, source, target = '' }) =>
    [kind, name, kind === 'file' ? fileDigest(source) : target].join('\0'),
  );
  return contentDigest(lines.join('\n'));
}
