// Files of a tree, and one digest for all of them.
import { createHash } from 'node:crypto';
import { readdirSync, readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';

/** In order, with all that lies below. */
export function filesBelow(folder) {
  return readdirSync(folder)
    .sort()
    .map((name) => join(folder, name))
    .flatMap((path) => (statSync(path).isDirectory() ? filesBelow(path) : [path]));
}

/** SHA-256 of names and contents. */
export function digestOf(files) {
  const hash = createHash('sha256');
  for (const file of files) hash.update(file).update('\0').update(readFileSync(file));
  return hash.digest('hex');
}
