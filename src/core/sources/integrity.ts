/** Subresource integrity, the form in which package locks state digests: `sha512-BASE64`, several separated by spaces. */
import { createHash } from 'node:crypto';
import { closeSync, openSync, readSync } from 'node:fs';

/** From the strongest down. SHA-1 is what old locks have; it counts only where there is nothing else. */
const ALGORITHMS = ['sha512', 'sha384', 'sha256', 'sha1'] as const;
const PIECE_BYTES = 1024 * 1024;

/** What is wrong with a file, in words; undefined where it is what was stated. @param path absolute path */
export function integrityFault(path: string, stated: string): { expected: string; found: string } | undefined {
  const wanted = strongest(stated);
  if (wanted === undefined) return { expected: 'a digest that can be checked', found: `\`${stated.slice(0, 80)}\`` };
  const hash = createHash(wanted.algorithm);
  const fd = openSync(path, 'r');
  try {
    const piece = Buffer.allocUnsafe(PIECE_BYTES);
    for (let n = readSync(fd, piece); n > 0; n = readSync(fd, piece)) hash.update(piece.subarray(0, n));
  } finally {
    closeSync(fd);
  }
  const found = hash.digest('base64');
  if (wanted.digests.includes(found)) return undefined;
  const shown = wanted.digests.map((digest) => `${wanted.algorithm}-${digest}`);
  return { expected: `the file of the lock, ${shown.join(' or ')}`, found: `${wanted.algorithm}-${found}` };
}

function strongest(text: string): { algorithm: (typeof ALGORITHMS)[number]; digests: string[] } | undefined {
  const stated = text.split(/\s+/).map((one) => /^([a-z0-9]+)-([A-Za-z0-9+/]+={0,2})(?:\?.*)?$/.exec(one));
  for (const algorithm of ALGORITHMS) {
    const digests = stated.flatMap((match) => (match?.[1] === algorithm ? (match[2] ?? []) : []));
    if (digests.length > 0) return { algorithm, digests };
  }
  return undefined;
}
