/** Works on many modules in worker threads, a batch at a time, so that all cores have work. */
import { join } from 'node:path';
import { eachBreathing } from '../../../../base/yield';
import { Threads } from '../../../../disk/threads/threads';
import type { Part } from '../../link/parts';
import type { SmallJob } from '../../link/small';
import { TOO_DEEP, type ModuleJob } from './module-job';
import { doPoolJob, type PoolJob } from './pool-job';

/** Fewer jobs than that are done where they are: starting threads would take longer; and so is less text. */
const PAYS_FROM = {
  read: { jobs: 150, units: 3_000_000 },
  small: { jobs: 60, units: 300_000 },
} as const;
/** As much text in a batch, so that threads finish at about the same time. */
const BATCH_UNITS = { read: 200_000, small: 50_000 } as const;

/** Memory that is only taken as far as it is used. */
const DEEP_STACK_MB = 256;
/** Syntax trees are large and soon gone: with more room for what is new, fewer of them are met by a collection. */
const YOUNG_MB = 96;

export class ModulePool {
  readonly #most: number;
  readonly #threads: Threads<readonly PoolJob[], readonly string[]>;
  readonly #deep: Threads<readonly PoolJob[], readonly string[]>;

  /** @param threads most worker threads to use; 1 for none */
  constructor(threads: number) {
    this.#most = threads;
    const script = join(__dirname, 'module-worker.js');
    this.#threads = new Threads(script, threads, { ahead: 1, limits: { maxYoungGenerationSizeMb: YOUNG_MB } });
    this.#deep = new Threads(script, 1, { limits: { stackSizeMb: DEEP_STACK_MB, maxYoungGenerationSizeMb: YOUNG_MB } });
  }

  /** What modules say, as JSON, in the order of the jobs. */
  async read(jobs: readonly ModuleJob[]): Promise<string[]> {
    const found = await this.#do(
      'read',
      jobs.map((job) => ({ kind: 'read', job })),
    );
    return this.#deeper(jobs, found);
  }

  /**
   * What was nested too deeply for the stack where it was read is read again with a large one: what is said of a module does
   * not depend on who read it first.
   */
  async #deeper(jobs: readonly ModuleJob[], found: readonly string[]): Promise<string[]> {
    const again = jobs.flatMap((job, i) => (found[i]?.includes(TOO_DEEP) === true ? [{ job, i }] : []));
    if (again.length === 0) return [...found];
    const read = new Map<number, string>();
    for (const { job, i } of again) {
      const [json = ''] = await this.#deep.ask([{ kind: 'read', job }]);
      read.set(i, json);
    }
    return found.map((json, i) => read.get(i) ?? json);
  }

  /** The same in batches, each as it is full and as it is done; nothing where threads do not pay. */
  readAhead(): ReadingAhead {
    const ask = (jobs: readonly ModuleJob[]): Promise<readonly string[]> =>
      this.#threads.ask(jobs.map((job) => ({ kind: 'read', job }))).then((found) => this.#deeper(jobs, found));
    return new ReadingAhead(this.#most < 2 ? undefined : ask);
  }

  /** Parts of a linked file, made small, in their order. */
  async small(jobs: readonly SmallJob[]): Promise<Part[]> {
    const found = await this.#do(
      'small',
      jobs.map((job) => ({ kind: 'small', job })),
    );
    return found.map((json) => JSON.parse(json) as Part);
  }

  async #do(kind: PoolJob['kind'], jobs: readonly PoolJob[]): Promise<string[]> {
    const pays = isMuch(kind, jobs) || (this.#threads.areRunning && jobs.length > 8);
    if (this.#most < 2 || !pays) {
      const found: string[] = [];
      await eachBreathing(jobs, 8, (job) => found.push(doPoolJob(job)));
      return found;
    }
    const batches = batchesOf(jobs, BATCH_UNITS[kind]);
    return (await Promise.all(batches.map((batch) => this.#threads.ask(batch)))).flat();
  }

  async close(): Promise<void> {
    await Promise.all([this.#threads.close(), this.#deep.close()]);
  }
}

/** A batch that threads have been given, with what will have come of it. */
export interface BatchAhead {
  readonly jobs: number;
  readonly found: Promise<readonly string[]>;
}

/** Gives modules to threads while further ones are still looked for. */
export class ReadingAhead {
  readonly #ask: ((jobs: readonly ModuleJob[]) => Promise<readonly string[]>) | undefined;
  #held: ModuleJob[] = [];
  #heldUnits = 0;
  /** Of all that were added. */
  #jobs = 0;
  #units = 0;

  /** @param ask undefined where there are no threads */
  constructor(ask: ((jobs: readonly ModuleJob[]) => Promise<readonly string[]>) | undefined) {
    this.#ask = ask;
  }

  /** @returns the batch that is full now, which begins with the first that was in none */
  add(job: ModuleJob): BatchAhead | undefined {
    this.#held.push(job);
    this.#jobs += 1;
    this.#units += job.text.length;
    this.#heldUnits += job.text.length;
    return this.#heldUnits < BATCH_UNITS.read ? undefined : this.flush();
  }

  /** @returns the batch of those that are in none */
  flush(): BatchAhead | undefined {
    if (this.#ask === undefined || this.#held.length === 0 || !pays('read', this.#jobs, this.#units)) return undefined;
    const jobs = this.#held;
    this.#held = [];
    this.#heldUnits = 0;
    return { jobs: jobs.length, found: this.#ask(jobs) };
  }
}

/** Whether it is worth starting threads for. */
function isMuch(kind: PoolJob['kind'], jobs: readonly PoolJob[]): boolean {
  const units = jobs.reduce((sum, { job }) => sum + job.text.length, 0);
  return pays(kind, jobs.length, units);
}

function pays(kind: PoolJob['kind'], jobs: number, units: number): boolean {
  return jobs >= PAYS_FROM[kind].jobs || units >= PAYS_FROM[kind].units;
}

/** Stretches of the jobs, in their order. */
function batchesOf(jobs: readonly PoolJob[], most: number): PoolJob[][] {
  const batches: PoolJob[][] = [];
  let units = Infinity;
  for (const one of jobs) {
    if (units >= most) {
      batches.push([]);
      units = 0;
    }
    batches.at(-1)?.push(one);
    units += one.job.text.length;
  }
  return batches;
}
