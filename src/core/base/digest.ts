/** Digests of what is in memory. */
import { createHash } from 'node:crypto';

/** SHA-256 of bytes, or of a text in UTF-8, in hexadecimal. */
export function contentDigest(content: string | Uint8Array): string {
  return createHash('sha256').update(content).digest('hex');
}
