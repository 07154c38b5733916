/** Prepares JARs in as many threads as there are cores. */
import { statSync } from 'node:fs';
import { join } from 'node:path';
import { doInThreads } from '../../../disk/threads/in-threads';
import { prepareJar, type PrepareJob } from './prepare';

/** Prepares JARs. @throws EmballageError of the first that cannot be */
export function prepareAll(jobs: readonly PrepareJob[], threads: number): Promise<void> {
  const sized = jobs.map((job) => ({ job, size: statSync(job.jar).size }));
  return doInThreads(join(__dirname, 'prepare-worker.js'), sized, threads, prepareJar);
}
