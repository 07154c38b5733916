// Files of a tree, and one digest for all of them.
import { createHash } from 'node:crypto';
import { readdirSync, readFileSync, statSync } from 'node:fs';
import { dirname, join } from 'node:path';

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

/**
 * All that `dist/` is made of, relative to the root, which is the working folder: the sources, how they are compiled, and
 * the scripts that build, with whatever they import.
 */
export function builtFrom() {
  const sources = filesBelow('src').filter((file) => !file.endsWith('.test.ts'));
  const configurations = readdirSync('.').filter((name) => /^tsconfig\b.*\.json$/.test(name));
  return [...configurations.sort(), ...scriptsOf('scripts/build.mjs'), ...sources];
}

/** A script and those that it imports. */
function scriptsOf(first) {
  const found = new Set([first]);
  for (const path of found)
    for (const [, request] of readFileSync(path, 'utf8').matchAll(/(?:from |import(?:\(| ))'(\.[^']+)'/g))
      found.add(join(dirname(path), request));
  return [...found];
}
