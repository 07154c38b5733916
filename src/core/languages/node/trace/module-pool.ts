/** Reads many modules in worker threads, a batch at a time, so that all cores have work. */
import { join } from 'node:path';
import { eachBreathing } from '../../../base/breathe';
import { Threads } from '../../../disk/threads';
import { readModuleJob, type ModuleJob } from './module-job';

/** Fewer than that are read where they are: starting threads would take longer. */
const THREADS_PAY_FROM = 150;
/** And so is less text. */
const THREADS_PAY_FROM_UNITS = 3_000_000;
/** As much text in a batch, so that threads finish at about the same time. */
const BATCH_UNITS = 200_000;

export class ModulePool {
  readonly #most: number;
  readonly #threads: Threads<readonly ModuleJob[], readonly string[]>;

  /** @param threads most worker threads to use; 1 for none */
  constructor(threads: number) {
    this.#most = threads;
    this.#threads = new Threads(join(__dirname, 'module-worker.js'), threads);
  }

  /** What each job gives, as JSON, in the order of the jobs. */
  async read(jobs: readonly ModuleJob[]): Promise<string[]> {
    const units = jobs.reduce((sum, { text }) => sum + text.length, 0);
    const isMuch = jobs.length >= THREADS_PAY_FROM || units >= THREADS_PAY_FROM_UNITS;
    const pays = this.#threads.areRunning ? jobs.length > 8 || isMuch : isMuch;
    if (this.#most < 2 || !pays) {
      const found: string[] = [];
      await eachBreathing(jobs, 8, (job) => found.push(JSON.stringify(readModuleJob(job))));
      return found;
    }
    return (await Promise.all(batchesOf(jobs).map((batch) => this.#threads.ask(batch)))).flat();
  }

  close(): Promise<void> {
    return this.#threads.close();
  }
}

/** Stretches of the jobs, in their order. */
function batchesOf(jobs: readonly ModuleJob[]): ModuleJob[][] {
  const batches: ModuleJob[][] = [];
  let units = Infinity;
  for (const job of jobs) {
    if (units >= BATCH_UNITS) {
      batches.push([]);
      units = 0;
    }
    batches.at(-1)?.push(job);
    units += job.text.length;
  }
  return batches;
}
