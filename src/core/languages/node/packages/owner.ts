/**
 * The package that a file belongs to, by where it lies; '' for what is in no package.
 * `node_modules/a/node_modules/@b/c/lib/d.js` gives `node_modules/a/node_modules/@b/c`.
 */
export function ownerOf(path: string): string {
  return /^(?:.*\/)?node_modules\/(?:@[^/]+\/)?[^/]+(?=\/)/.exec(path)?.[0] ?? '';
}
