/** The stand-in host: unpacks an artifact into a fresh read-only folder and calls the function in it with events. */
import { chmodSync, existsSync, mkdirSync, readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { makeScratch, removeScratch } from '../../core/disk/scratch';
import type { NamedEvent } from '../../core/events';
import type { LoadCost } from '../../core/languages';
import type { Answer } from './exchange/answer';
import { forget } from './process/cold-files';
import { confineMeans, isRoot } from './process/confine';
import type { HostPlan } from './host-plan';
import { prepareImage } from './image';
import type { ImagePlan } from './image-plan';
import type { Log } from './log';
import { howCalled, isOpenToAll, prepare, putArtifact, traceIn } from './prepare';
import { HostProcess } from './process/process';
import type { ProcessPlan } from './process/process-plan';

export interface CallReport {
  readonly event: string;
  readonly answer: Answer;
  /** Whether the process was started for this call. */
  readonly cold: boolean;
  /** From the start of the process to the member being ready, for cold calls. */
  readonly startMs: number;
  /** The call itself. */
  readonly callMs: number;
  readonly log: Log;
  readonly peakBytes: number;
}

/** What holds a function back: namespaces of its own; being nobody; or nothing, and why not. */
export type Hold = 'namespaces' | 'nobody' | { readonly nothing: string };

export interface HostOutcome {
  readonly hold: Hold;
  /** Paths in the artifact of all modules that were loaded, sorted; empty where the runtime does not tell. */
  readonly seen: readonly string[];
  /** Names of modules that were asked for and are nowhere, sorted. */
  readonly asked: readonly string[];
  /** Whether it ended by itself when it was asked to, where that is asked. */
  readonly didEnd?: boolean;
}

/** Where the time of a cold start goes. */
export interface StartCosts {
  readonly unpackMs: number;
  /** Loading the entry with all that it imports; undefined where the runner does not tell. */
  readonly loadMs: number | undefined;
  readonly costs: readonly LoadCost[];
}

/** A function that is ready to be called, from its unpacked artifact. */
export interface OpenHost {
  readonly hold: Hold;
  /** Calls that it takes at once. */
  readonly concurrency: number;
  /** Calls it, with an id for the call or one that is made here; after a call that ended its process, the next one starts a new process. */
  call(event: NamedEvent, run?: string): Promise<CallReport>;
  /** What was loaded and missed so far. */
  noted(): Omit<HostOutcome, 'hold' | 'didEnd'>;
  /** What the start cost, once it was called; only where it is looked at. */
  startCosts(): Promise<StartCosts>;
  /** Ends its process and removes what was unpacked. @returns whether it ended by itself, where it was asked to */
  close(): Promise<boolean | undefined>;
}

/** Unpacks the artifact; the function is loaded by its first call. */
export async function openHost(plan: HostPlan): Promise<OpenHost> {
  const base = makeScratch('host');
  const cleanUp = (): void => removeScratch(base);
  process.once('exit', cleanUp);
  const end = (): void => {
    process.removeListener('exit', cleanUp);
    cleanUp();
  };
  try {
    if (plan.image !== undefined) return await openImageHost(plan, plan.image, base, end);
    const root = join(base, 'artifact');
    mkdirSync(root);
    const begun = plan.elapsed();
    const made = await putArtifact(plan, root);
    const unpackMs = plan.elapsed() - begun;
    const asNobody = isRoot() && isOpenToAll(plan.program ?? plan.emulator?.program ?? '/');
    const processPlan = await prepare(plan, base, root, asNobody);
    for (const folder of [...made, root]) chmodSync(folder, 0o555);
    if (plan.profile?.isCold === true) forget(root);
    return new Caller(plan, processPlan, { root, hold: holdOf(processPlan.isConfined, asNobody), end, unpackMs });
  } catch (error) {
    end();
    throw error;
  }
}

async function openImageHost(plan: HostPlan, image: ImagePlan, base: string, end: () => void): Promise<OpenHost> {
  const started = await prepareImage(plan, image, plan, base);
  chmodSync(base, 0o755);
  const { file, name, member, memoryBytes, timeoutMs, calls } = plan;
  const load = { root: '/', file, member, name, memory: memoryBytes };
  const processPlan: ProcessPlan = {
    ...(await howCalled(plan, calls.image)),
    cwd: base,
    load,
    memoryBytes,
    timeoutMs,
    ...started,
  };
  // Who it runs as the image says; its root is read-only to everybody.
  return new Caller(plan, processPlan, { root: '/', hold: 'namespaces', end, unpackMs: 0 });
}

function holdOf(isConfined: boolean, asNobody: boolean): Hold {
  if (isConfined) return 'namespaces';
  const means = confineMeans();
  return asNobody ? 'nobody' : { nothing: 'why' in means ? means.why : 'where a start is looked at, nothing does' };
}

/** Calls the function with each event in turn. */
export async function runInHost(
  plan: HostPlan,
  events: readonly NamedEvent[],
  onCall: (report: CallReport) => void | Promise<void>,
): Promise<HostOutcome> {
  const host = await openHost(plan);
  let didEnd: boolean | undefined;
  try {
    for (const event of events) await onCall(await host.call(event));
  } finally {
    didEnd = await host.close();
  }
  return { hold: host.hold, ...host.noted(), ...(didEnd !== undefined && { didEnd }) };
}

interface CallerFacts {
  readonly root: string;
  readonly hold: Hold;
  readonly end: () => void;
  readonly unpackMs: number;
}

class Caller implements OpenHost {
  readonly hold: Hold;
  readonly #plan: HostPlan;
  readonly #processPlan: ProcessPlan;
  readonly #root: string;
  readonly #end: () => void;
  readonly #unpackMs: number;
  readonly #seen = new Set<string>();
  readonly #asked = new Set<string>();
  /** Its process, and whether that is ready, or why not. */
  #running: Running | undefined;
  #calls = 0;

  constructor(plan: HostPlan, processPlan: ProcessPlan, { root, hold, end, unpackMs }: CallerFacts) {
    this.#unpackMs = unpackMs;
    this.#plan = plan;
    this.#processPlan = processPlan;
    this.#root = root;
    this.hold = hold;
    this.#end = end;
  }

  get concurrency(): number {
    return this.#processPlan.speaks === 'http' ? this.#plan.calls.concurrency : 1;
  }

  async call(event: NamedEvent, run?: string): Promise<CallReport> {
    const begun = this.#plan.elapsed();
    const cold = this.#running === undefined || this.#running.host.hasEnded;
    if (this.#running === undefined || this.#running.host.hasEnded) {
      const host = new HostProcess(this.#processPlan);
      this.#running = { host, ready: host.load() };
    }
    const running = this.#running;
    this.#calls += 1;
    const id = run ?? `run-${String(this.#calls)}`;
    const report = await callOnce(this.#plan, running, event, { cold, begun, run: id });
    for (const path of running.host.seen) this.#seen.add(path);
    for (const name of running.host.asked) this.#asked.add(name);
    if (report.answer.kind === 'failed' && !running.host.goesOn && this.#running === running) this.#running = undefined;
    return { ...report, answer: withoutRoot(report.answer, this.#root) };
  }

  noted(): Omit<HostOutcome, 'hold' | 'didEnd'> {
    return { seen: [...this.#seen].sort(), asked: [...this.#asked].sort() };
  }

  async startCosts(): Promise<StartCosts> {
    const { loadMs, costs: result } = this.#running?.host.loaded ?? {};
    const path = traceIn(dirname(this.#root));
    const trace = existsSync(path) ? readFileSync(path, 'utf8') : '';
    return {
      unpackMs: this.#unpackMs,
      loadMs: typeof loadMs === 'number' ? loadMs : undefined,
      costs:
        (await this.#plan.run.profile?.read({
          told: result,
          trace,
          root: this.#root,
          entry: this.#plan.file,
          own: this.#plan.profile?.own ?? [],
        })) ?? [],
    };
  }

  async close(): Promise<boolean | undefined> {
    try {
      const didEnd = await this.#running?.host.askToEnd();
      await this.#running?.host.close();
      return didEnd;
    } finally {
      this.#end();
    }
  }
}

interface Running {
  readonly host: HostProcess;
  readonly ready: ReturnType<HostProcess['load']>;
}

async function callOnce(
  plan: HostPlan,
  { host, ready: loaded }: Running,
  { name, event }: NamedEvent,
  { cold, begun, run }: { readonly cold: boolean; readonly begun: number; readonly run: string },
): Promise<CallReport> {
  const loadFailure = await loaded;
  const ready = plan.elapsed();
  const deadline = new Date(plan.now() + plan.timeoutMs).toISOString();
  const answer: Answer =
    loadFailure === undefined ? await host.call(event, run, deadline) : { kind: 'failed', failure: loadFailure };
  const times = { startMs: cold ? ready - begun : 0, callMs: plan.elapsed() - ready };
  await host.settleLog();
  const log = host.takeLog();
  const garbage = log.garbage ?? host.takeExtra();
  const judged: Answer =
    garbage === undefined || answer.kind === 'failed'
      ? answer
      : { kind: 'failed', failure: { kind: 'garbled', what: garbage } };
  // The next call gets a process of its own; one that listens answers others by itself.
  if ((judged.kind === 'failed' && !host.goesOn) || host.hasEnded) await host.close();
  return { event: name, answer: judged, cold, ...times, log, peakBytes: host.peakBytes };
}

/** Paths in stack traces become those in the artifact. */
function withoutRoot(answer: Answer, root: string): Answer {
  if (answer.kind !== 'failed') return answer;
  const { failure } = answer;
  if (failure.kind !== 'threw' && failure.kind !== 'load-failed') return answer;
  const clean = (text: string): string => text.replaceAll(`file://${root}/`, '').replaceAll(`${root}/`, '');
  return { kind: 'failed', failure: { ...failure, message: clean(failure.message), stack: clean(failure.stack) } };
}
