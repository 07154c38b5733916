/** A file as the body of a request. */
import { stretchPieces } from '../../../disk/file-source';
import type { RequestBody } from '../../../sources';
import type { LoadFile } from '../load';

const PIECE_BYTES = 256 * 1024;

export function bodyOf({ path, size }: Pick<LoadFile, 'path' | 'size'>, onSent: (bytes: number) => void): RequestBody {
  return {
    size,
    *pieces() {
      let sent = 0;
      for (const piece of stretchPieces({ path, at: 0, size }, PIECE_BYTES)) {
        // Memory of its own: what is sent is read again before it has left.
        yield new Uint8Array(piece);
        onSent((sent += piece.length));
      }
    },
  };
}
