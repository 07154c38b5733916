/** Prepares JARs in as many threads as there are cores, the largest first. */
import { statSync } from 'node:fs';
import { join } from 'node:path';
import { Worker } from 'node:worker_threads';
import { EmballageError, type ErrorCode, type ErrorFacts } from '../../../base/errors';
import { prepareJar, type PrepareJob } from './prepare';

/** With less than that to do, starting threads takes longer. */
const THREADS_PAY_FROM_BYTES = 1024 * 1024;

interface Answer {
  readonly code?: ErrorCode;
  readonly facts?: ErrorFacts;
  readonly text?: string;
}

export async function prepareAll(jobs: readonly PrepareJob[], threads: number): Promise<void> {
  const sized = jobs.map((job) => ({ job, size: statSync(job.jar).size })).sort((a, b) => b.size - a.size);
  const bytes = sized.reduce((sum, { size }) => sum + size, 0);
  const open = sized.map(({ job }) => job);
  if (threads < 2 || jobs.length < 2 || bytes < THREADS_PAY_FROM_BYTES) {
    for (const job of open) prepareJar(job);
    return;
  }
  const work = async (): Promise<void> => {
    const worker = new Worker(join(__dirname, 'prepare-worker.js'));
    try {
      for (let job = open.shift(); job !== undefined; job = open.shift()) await ask(worker, job);
    } finally {
      await worker.terminate();
    }
  };
  await Promise.all(Array.from({ length: Math.min(threads, jobs.length) }, work));
}

function ask(worker: Worker, job: PrepareJob): Promise<void> {
  return new Promise((resolve, reject) => {
    worker.once('error', reject);
    worker.once('message', ({ code, facts, text }: Answer) => {
      worker.off('error', reject);
      if (code !== undefined && facts !== undefined) reject(new EmballageError(code, facts));
      else if (text !== undefined) reject(new Error(text));
      else resolve();
    });
    worker.postMessage(job);
  });
}
