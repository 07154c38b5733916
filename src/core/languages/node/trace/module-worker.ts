/** Runs in a worker thread: reads modules in batches. What it found goes back as JSON, which is what is kept of it. */
import { parentPort } from 'node:worker_threads';
import { readModuleJob, type ModuleJob } from './module-job';

const port = parentPort;
if (port === null) throw new Error('this file runs in a worker thread');
port.on('message', (batch: readonly ModuleJob[]) => {
  port.postMessage(batch.map((job) => JSON.stringify(readModuleJob(job))));
});
