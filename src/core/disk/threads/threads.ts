/** Work in threads: who has nothing to do takes the next job. What a job throws comes back as what it was. */
import { parentPort, Worker, type ResourceLimits, type Transferable } from 'node:worker_threads';
import { EmballageError, type ErrorCode, type ErrorFacts } from '../../base/errors';

/** What comes back of a job: classes do not travel, so errors with facts go as their facts. */
export type Told<Answer> =
  { readonly answer: Answer } | { readonly code: ErrorCode; readonly facts: ErrorFacts } | { readonly text: string };

/** An error as it travels. */
export function toldOf(error: unknown): Told<never> {
  return error instanceof EmballageError ? { code: error.code, facts: error.facts } : { text: String(error) };
}

/** And as it is thrown where it arrives. */
export function errorOf(result: Exclude<Told<never>, { readonly answer: never }>): Error {
  return 'code' in result ? new EmballageError(result.code, result.facts) : new Error(result.text);
}

interface Waiting<Job, Answer> {
  readonly job: Job;
  readonly transfer: readonly Transferable[];
  resolve(answer: Answer): void;
  reject(error: unknown): void;
}

interface Lane<Job, Answer> {
  readonly worker: Worker;
  /** What it is at, and what waits there for that to end. */
  readonly given: Waiting<Job, Answer>[];
}

export interface ThreadsOptions {
  /** Of each thread, where they are not to be the usual ones. */
  readonly limits?: ResourceLimits;
  /**
   * How many jobs wait at each thread beside the one that it is at, so that it need not wait for this thread to hand out
   * the next. For many short jobs that are done at once: what waits there is done by no other, and answered in its turn.
   */
  readonly ahead?: number;
}

export class Threads<Job, Answer> {
  readonly #script: string;
  readonly #limits: ResourceLimits;
  readonly #mostGiven: number;
  readonly #most: number;
  readonly #lanes: Lane<Job, Answer>[] = [];
  readonly #queue: Waiting<Job, Answer>[] = [];

  /**
   * @param script absolute path of a module that calls `answerJobs`
   * @param most threads that are started, each when there is a job for it
   */
  constructor(script: string, most: number, { limits = {}, ahead = 0 }: ThreadsOptions = {}) {
    this.#script = script;
    this.#limits = limits;
    this.#mostGiven = 1 + ahead;
    this.#most = Math.max(1, most);
  }

  get areRunning(): boolean {
    return this.#lanes.length > 0;
  }

  /** Starts all threads now, while there is something else to do here. */
  start(): void {
    while (this.#lanes.length < this.#most) this.#give(this.#start());
  }

  /** @param transfer what goes over to the thread, and is not here any more (structured clone) */
  ask(job: Job, transfer: readonly Transferable[] = []): Promise<Answer> {
    return new Promise((resolve, reject) => {
      this.#queue.push({ job, transfer, resolve, reject });
      const lane = this.#leastBusy();
      const mayStart = this.#lanes.length < this.#most && lane?.given.length !== 0;
      this.#give(lane === undefined || mayStart ? this.#start() : lane);
    });
  }

  async close(): Promise<void> {
    await Promise.all(this.#lanes.splice(0).map(({ worker }) => worker.terminate()));
  }

  #leastBusy(): Lane<Job, Answer> | undefined {
    return this.#lanes.reduce<Lane<Job, Answer> | undefined>(
      (least, lane) => (least !== undefined && least.given.length <= lane.given.length ? least : lane),
      undefined,
    );
  }

  #start(): Lane<Job, Answer> {
    const lane: Lane<Job, Answer> = {
      worker: new Worker(this.#script, { resourceLimits: this.#limits }),
      given: [],
    };
    lane.worker.on('message', (result: Told<Answer>) => {
      const done = lane.given.shift();
      this.#give(lane);
      if ('answer' in result) done?.resolve(result.answer);
      else done?.reject(errorOf(result));
    });
    lane.worker.on('error', (error) => {
      this.#lanes.splice(this.#lanes.indexOf(lane), 1);
      for (const one of lane.given) one.reject(error);
      for (const one of this.#lanes.length === 0 ? this.#queue.splice(0) : []) one.reject(error);
    });
    this.#lanes.push(lane);
    return lane;
  }

  /** Idle threads must not keep the program alive when something fails elsewhere; busy ones must. */
  #give(lane: Lane<Job, Answer>): void {
    while (lane.given.length < this.#mostGiven) {
      const next = this.#queue.shift();
      if (next === undefined) break;
      lane.given.push(next);
      lane.worker.postMessage(next.job, next.transfer);
    }
    if (lane.given.length === 0) lane.worker.unref();
    else lane.worker.ref();
  }
}

/** In a thread: does every job that comes. @param transferOf what of an answer goes over to whoever asked */
export function answerJobs<Answer>(
  work: (job: never) => Answer | Promise<Answer>,
  transferOf: (answer: Answer) => readonly Transferable[] = () => [],
): void {
  const port = parentPort;
  if (port === null) throw new Error('this file runs in a worker thread');
  const tell = (answer: Answer): void => {
    port.postMessage({ answer } satisfies Told<Answer>, transferOf(answer));
  };
  const fail = (error: unknown): void => {
    port.postMessage(toldOf(error));
  };
  port.on('message', (job: unknown) => {
    try {
      const answer = work(job as never);
      // Most work is done at once; what is not is waited for.
      if (answer instanceof Promise) answer.then(tell).catch(fail);
      else tell(answer);
    } catch (error) {
      fail(error);
    }
  });
}
