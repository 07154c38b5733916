/** Prepares JARs in as many threads as there are cores, the largest first. */
import { statSync } from 'node:fs';
import { join } from 'node:path';
import { Threads } from '../../../disk/threads';
import { prepareJar, type PrepareJob } from './prepare';

/** With less than that to do, starting threads takes longer. */
const THREADS_PAY_FROM_BYTES = 1024 * 1024;

/** Prepares JARs. @throws EmballageError of the first that cannot be */
export async function prepareAll(jobs: readonly PrepareJob[], threads: number): Promise<void> {
  const sized = jobs.map((job) => ({ job, size: statSync(job.jar).size })).sort((a, b) => b.size - a.size);
  const bytes = sized.reduce((sum, { size }) => sum + size, 0);
  const open = sized.map(({ job }) => job);
  if (threads < 2 || jobs.length < 2 || bytes < THREADS_PAY_FROM_BYTES) {
    for (const job of open) prepareJar(job);
    return;
  }
  const pool = new Threads<PrepareJob, undefined>(join(__dirname, 'prepare-worker.js'), threads);
  try {
    await Promise.all(open.map((job) => pool.ask(job)));
  } finally {
    await pool.close();
  }
}
