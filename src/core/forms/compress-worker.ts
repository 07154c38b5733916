/** Runs in a worker thread: compresses batches of pieces, from memory into memory that both sides see. */
import { answerJobs } from '../disk/threads';
import { compressPiece } from './compress';
import type { Batch, BatchAnswer } from './compress-pool';

answerJobs(({ input, output, pieces }: Batch): BatchAnswer => {
  const [from, to] = [new Uint8Array(input), new Uint8Array(output)];
  let end = 0;
  return pieces.map(({ at, dictionaryLength, length, last, mayStore }) => {
    const start = at + dictionaryLength;
    const dictionary = from.subarray(at, start);
    const { data, stored } = compressPiece({ bytes: from.subarray(start, start + length), dictionary, last, mayStore });
    if (stored) return undefined;
    to.set(data, end);
    return (end += data.length);
  });
});
