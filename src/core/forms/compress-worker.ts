/** Runs in a worker thread: compresses batches of pieces. */
import { parentPort } from 'node:worker_threads';
import { compressPiece, type Piece } from './compress';

const port = parentPort;
if (port === null) throw new Error('this file runs in a worker thread');
port.on('message', (batch: readonly Piece[]) => {
  const results = batch.map(compressPiece);
  port.postMessage(results, [...new Set(results.map((result) => result.data.buffer))]);
});
