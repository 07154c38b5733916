/** A file, or a stretch of one, as the body of a request. */
import { stretchPieces } from '../disk/file-source';
import type { Stretch } from '../formats/oci';
import type { RequestBody } from './network';

const PIECE_BYTES = 256 * 1024;

/** @param onSent told how many bytes have gone out */
export function fileBody(stretch: Stretch, onSent: (bytes: number) => void): RequestBody {
  return {
    size: stretch.size,
    *pieces() {
      let sent = 0;
      for (const piece of stretchPieces(stretch, PIECE_BYTES)) {
        // Memory of its own: what is sent is read again before it has left.
        yield new Uint8Array(piece);
        onSent((sent += piece.length));
      }
    },
  };
}
