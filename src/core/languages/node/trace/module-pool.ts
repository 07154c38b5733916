/** Reads many modules in worker threads, a batch at a time, so that all cores have work. */
import { join } from 'node:path';
import { Worker } from 'node:worker_threads';
import { readModuleJob, type ModuleJob } from './module-job';

/** Fewer than that are read where they are: starting threads would take longer. */
const THREADS_PAY_FROM = 150;
/** As much text in a batch, so that threads finish at about the same time. */
const BATCH_UNITS = 200_000;

export class ModulePool {
  readonly #threads: number;
  readonly #workers: Worker[] = [];

  /** @param threads most worker threads to use; 1 for none */
  constructor(threads: number) {
    this.#threads = threads;
  }

  /** What each job gives, as JSON, in the order of the jobs. */
  async read(jobs: readonly ModuleJob[]): Promise<string[]> {
    const pays = this.#workers.length > 0 ? jobs.length > 8 : jobs.length >= THREADS_PAY_FROM;
    if (this.#threads < 2 || !pays) return jobs.map((job) => JSON.stringify(readModuleJob(job)));
    while (this.#workers.length < this.#threads) this.#workers.push(this.#start());
    const found: string[] = [];
    const batches = batchesOf(jobs);
    await Promise.all(
      this.#workers.map(async (worker) => {
        for (let next = batches.shift(); next !== undefined; next = batches.shift()) {
          const { from, jobs: batch } = next;
          const answers = await ask(worker, batch);
          answers.forEach((answer, i) => (found[from + i] = answer));
        }
      }),
    );
    return found;
  }

  async close(): Promise<void> {
    await Promise.all(this.#workers.map((worker) => worker.terminate()));
  }

  #start(): Worker {
    const worker = new Worker(join(__dirname, 'module-worker.js'));
    worker.unref();
    return worker;
  }
}

function batchesOf(jobs: readonly ModuleJob[]): { from: number; jobs: ModuleJob[] }[] {
  const batches: { from: number; jobs: ModuleJob[] }[] = [];
  let units = Infinity;
  for (const [i, job] of jobs.entries()) {
    if (units >= BATCH_UNITS) {
      batches.push({ from: i, jobs: [] });
      units = 0;
    }
    batches.at(-1)?.jobs.push(job);
    units += job.text.length;
  }
  return batches;
}

function ask(worker: Worker, batch: readonly ModuleJob[]): Promise<readonly string[]> {
  return new Promise((resolve, reject) => {
    const onMessage = (answers: readonly string[]): void => {
      worker.off('error', reject);
      worker.unref();
      resolve(answers);
    };
    worker.ref();
    worker.once('message', onMessage);
    worker.once('error', reject);
    worker.postMessage(batch);
  });
}
