/** Work on files in as many threads as there are cores, the largest first. */
import { severalAtOnce } from '../../base/several';
import { Threads } from './threads';

/** With less than that to do, starting threads takes longer. */
const THREADS_PAY_FROM_BYTES = 1024 * 1024;

export interface SizedJob<Job> {
  readonly job: Job;
  /** What it is about, in bytes. */
  readonly size: number;
}

/**
 * Does all jobs, in threads where that pays. After a failure no further one is begun, and those under way are waited for.
 * @param script absolute path of a module that answers jobs with the same work
 * @param work what is done with a job in this thread
 * @throws what the first failure threw
 */
export async function doInThreads<Job>(
  script: string,
  jobs: readonly SizedJob<Job>[],
  threads: number,
  work: (job: Job) => unknown,
): Promise<void> {
  const open = [...jobs].sort((a, b) => b.size - a.size).map(({ job }) => job);
  const bytes = jobs.reduce((sum, { size }) => sum + size, 0);
  if (threads < 2 || jobs.length < 2 || bytes < THREADS_PAY_FROM_BYTES) {
    for (const job of open) await work(job);
    return;
  }
  const pool = new Threads<Job, undefined>(script, Math.min(threads, jobs.length));
  try {
    await severalAtOnce(open, threads, (job) => pool.ask(job));
  } finally {
    await pool.close();
  }
}
