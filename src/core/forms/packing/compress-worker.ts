/** Runs in a worker thread: compresses batches of pieces, from memory into memory that both sides see. */
import { answerJobs } from '../../disk/threads/threads';
import { compressPiece } from './compress';
import type { Batch } from './compress-pool';
import { Slab } from './compress-slab';

answerJobs(({ memory, pieces }: Batch): undefined => {
  new Slab(memory).compressAll(pieces, compressPiece);
});
