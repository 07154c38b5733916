/** Runs in a worker thread: prepares JARs, one after the other. */
import { parentPort } from 'node:worker_threads';
import { EmballageError } from '../../../base/errors';
import { prepareJar, type PrepareJob } from './prepare';

const port = parentPort;
if (port === null) throw new Error('this file runs in a worker thread');
port.on('message', (job: PrepareJob) => {
  try {
    prepareJar(job);
    port.postMessage({});
  } catch (error) {
    // Errors with facts go as their facts: classes do not travel.
    port.postMessage(
      error instanceof EmballageError ? { code: error.code, facts: error.facts } : { text: String(error) },
    );
  }
});
