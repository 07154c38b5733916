/** Reads `go.sum` and takes the digests in it (Go Modules Reference, "Module authentication"; the `h1` hash of dirhash). */
import { createHash } from 'node:crypto';
import type { Problem } from '../../base/errors';
import { printable } from '../../base/text';

/** A file of a module: its content as a zip archive, or its `go.mod` alone. */
export interface GoFile {
  readonly module: string;
  readonly version: string;
  readonly kind: 'zip' | 'mod';
  /** `h1:` and base64. */
  readonly hash: string;
}

/** The lines of a `go.sum` (Go Modules Reference, “go.sum files”). @param shown how messages call the file */
export function readGoSum(text: string, shown: string): { files: GoFile[]; problems: Problem[] } {
  const files: GoFile[] = [];
  const problems: Problem[] = [];
  text.split('\n').forEach((line, i) => {
    if (line.trim() === '') return;
    const [, module, version, mod, hash] =
      /^([\w.~/!-]+) (v[\w.+-]+?)(\/go\.mod)? (h1:[A-Za-z0-9+/]{43}=)$/.exec(line.trim()) ?? [];
    if (module === undefined || version === undefined || hash === undefined || module.includes('..')) {
      const found = `\`${printable(line.slice(0, 80))}\``;
      const place = { file: shown, line: i + 1, column: 1 };
      problems.push({
        place,
        expected: 'a module, its version and its digest',
        found,
        mend: 'let `go mod tidy` write it',
      });
    } else files.push({ module, version, kind: mod === undefined ? 'zip' : 'mod', hash });
  });
  return { files, problems };
}

/** The path of a module as proxies and caches write it: capitals behind an exclamation mark. */
export function escapedPath(module: string): string {
  return module.replace(/[A-Z]/g, (letter) => `!${letter.toLowerCase()}`);
}

/**
 * The digest of several files: SHA-256 over a line of digest and name for each, ordered by name.
 * @param files each with its name and the SHA-256 of its content, in hexadecimal
 */
export function dirHash(files: readonly { readonly name: string; readonly sha256: string }[]): string {
  const lines = [...files]
    .sort((a, b) => Buffer.compare(Buffer.from(a.name), Buffer.from(b.name)))
    .map(({ name, sha256 }) => `${sha256}  ${name}\n`);
  return `h1:${createHash('sha256').update(lines.join('')).digest('base64')}`;
}
