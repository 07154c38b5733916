/** Runs in a worker thread: compresses batches of pieces. */
import { answerJobs } from '../disk/threads';
import { compressPiece, type Piece } from './compress';

answerJobs(
  (batch: readonly Piece[]) => batch.map(compressPiece),
  (results) => [...new Set(results.map((result) => result.data.buffer))],
);
