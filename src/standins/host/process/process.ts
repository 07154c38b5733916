/** One process of the stand-in host: loads a function, calls it, and holds it to its time and memory. */
import { spawn, type ChildProcess } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { setTimeout as sleep } from 'node:timers/promises';
import type { Duplex, Readable } from 'node:stream';
import { LineSplitter } from '../../../core/base/line-splitter';
import { writeExact, type CloudEvent } from '../../../core/events';
import type { Answer, Failure } from '../exchange/answer';
import { signalIn } from './confine';
import { callByHttp, untilReady } from '../exchange/http-call';
import { LogKeeper } from '../log';
import { residentBytes, startedFrom, togetherBytes } from './memory';
import { errorOf, isFailure, plainAnswer, STREAMS, type Message } from '../exchange/messages';
import { portsOf } from '../ports';
import type { ProcessPlan } from './process-plan';

const MEMORY_LOOK_MS = 20;
const LOG_ROUND_MS = 5;
const AFTERMATH_MS = 60;
const MAX_LOG_ROUNDS = 200;
/** The longest answer. */
const MAX_ANSWER_BYTES = 64 * 1024 * 1024;
/** Loading may take this long even where a call may not. */
const LEAST_LOAD_MS = 10_000;

export class HostProcess {
  readonly #plan: ProcessPlan;
  readonly #child: ChildProcess;
  #extra: string | undefined;
  readonly #mark = randomBytes(12).toString('hex');
  readonly #log = new LogKeeper();
  readonly #memoryWatch: NodeJS.Timeout;
  readonly #onExit = (): void => this.#kill();
  #peakBytes = 0;
  #seen: readonly string[] = [];
  #asked: readonly string[] = [];
  #waiting: ((end: Message | Failure) => void) | undefined;
  #end: Failure | undefined;
  #loaded: Message = {};
  readonly #watchers = new Set<(end: Failure) => void>();

  constructor(plan: ProcessPlan) {
    this.#plan = plan;
    this.#child = spawn(plan.program, plan.args, {
      cwd: plan.cwd,
      env: { ...plan.env, ...(plan.speaks === 'http' && { PORT: String(plan.port) }) },
      stdio: STREAMS[plan.speaks],
      // A group of its own, so that what it starts ends with it.
      detached: true,
      ...(plan.user !== undefined && !plan.isConfined && { uid: plan.user, gid: plan.user }),
    });
    this.#child.stderr?.on('data', (bytes: Buffer) => this.#log.add(bytes));
    if (plan.speaks === 'lines') this.#listenToLines();
    else this.#child.stdout?.on('data', (bytes: Buffer) => this.#log.add(bytes));
    if (plan.speaks === 'runner') this.#listenToRunner();
    this.#child.on('error', (error) => this.#finish(this.#notStarted(error.message)));
    this.#child.on('close', (code, signal) => this.#closed(code, signal));
    // Nothing that was started stays behind, however we end.
    process.once('exit', this.#onExit);
    this.#memoryWatch = setInterval(() => this.#watchMemory(), MEMORY_LOOK_MS);
    this.#memoryWatch.unref();
  }

  #listenToLines(): void {
    this.#child.stdin?.on('error', () => undefined);
    this.#hearLines(this.#child.stdout, (line) => this.#hearPlain(line));
  }

  #hearLines(from: Readable | null, hear: (line: string) => void): void {
    const lines = new LineSplitter(MAX_ANSWER_BYTES, hear);
    from?.on('data', (bytes: Buffer) => {
      if (this.#end !== undefined || lines.add(bytes)) return;
      this.#finish({
        kind: 'garbled',
        what: `it wrote more than ${String(MAX_ANSWER_BYTES)} bytes without ending the line`,
      });
      this.#kill();
    });
  }

  #listenToRunner(): void {
    this.#hearLines(this.#child.stdio[4] as Readable, (line) => this.#hear(line));
    // Read to its end, though nothing comes, or the process would never count as closed.
    (this.#child.stdio[3] as Duplex).on('error', () => undefined).resume();
  }

  /** Highest memory seen, in bytes. */
  get peakBytes(): number {
    return this.#peakBytes;
  }

  /** Paths in the artifact of the modules that were loaded, as far as the runtime tells. */
  get seen(): readonly string[] {
    return this.#seen;
  }

  /** Names of modules that were asked for and are nowhere, as far as the runtime tells. */
  get asked(): readonly string[] {
    return this.#asked;
  }

  /** What the runner said of loading. */
  get loaded(): Message {
    return this.#loaded;
  }

  get hasEnded(): boolean {
    return this.#end !== undefined;
  }

  /** Whether it takes further calls after one that failed. */
  get goesOn(): boolean {
    return this.#plan.speaks === 'http' && this.#end === undefined;
  }

  /** Waits until no more log arrives: what was written before an answer may come in after it. */
  async settleLog(): Promise<void> {
    for (let round = 0, before = -1; round < MAX_LOG_ROUNDS && this.#log.bytes !== before; round++) {
      before = this.#log.bytes;
      await sleep(LOG_ROUND_MS);
    }
  }

  /** What was logged since the last time this was asked. */
  takeLog(): ReturnType<LogKeeper['take']> {
    return this.#log.take();
  }

  /** What an executable wrote that was no answer, since the last time this was asked. */
  takeExtra(): string | undefined {
    const extra = this.#extra;
    this.#extra = undefined;
    return extra === undefined ? undefined : `it wrote ${JSON.stringify(extra.slice(0, 60))} without being asked`;
  }

  async load(): Promise<Failure | undefined> {
    const { speaks, calls, load, timeoutMs } = this.#plan;
    if (speaks === 'http') return this.#untilReady();
    if (speaks === 'lines') return this.#spawned();
    const limitMs = Math.max(LEAST_LOAD_MS, timeoutMs);
    const command = { kind: 'load', mark: this.#mark, context: calls.context, ...load };
    const message = await this.#ask(command, limitMs, 'loading');
    if (isFailure(message)) return message;
    if (message.kind === 'loaded') {
      this.#loaded = message;
      return undefined;
    }
    if (message.kind === 'load-failed') return { kind: 'load-failed', ...errorOf(message) };
    const members = Array.isArray(message.members) ? message.members.map(String) : [];
    return { kind: 'no-member', found: String(message.found), members };
  }

  /** An executable is ready when it runs: there is nothing that it says. */
  #spawned(): Promise<Failure | undefined> {
    if (this.#child.pid !== undefined) return Promise.resolve(undefined);
    return new Promise((resolve) => this.#child.once('error', () => resolve(this.#end)));
  }

  async #untilReady(): Promise<Failure | undefined> {
    const { port, calls } = this.#plan;
    const isOver = new AbortController();
    const ready = untilReady(port, calls.health, isOver.signal).then(() => undefined);
    const failure = await this.#within(calls.startMs, ready, () => ({
      kind: 'deaf',
      port,
      limitMs: calls.startMs,
      instead: portsOf(this.#processes).filter((one) => one !== port),
    }));
    isOver.abort();
    return failure;
  }

  async call(event: CloudEvent, run: string, deadline: string): Promise<Answer> {
    const { speaks, calls, timeoutMs } = this.#plan;
    if (speaks === 'http') return this.#callByHttp(event);
    const given = calls.event === 'data' ? event.data : event;
    const command = speaks === 'lines' ? given : { kind: 'call', run, deadline, event: given };
    const message = await this.#ask(command, timeoutMs, 'running');
    if (isFailure(message)) return { kind: 'failed', failure: message };
    this.#peakBytes = Math.max(this.#peakBytes, Number(message.peak ?? 0));
    if (message.kind === 'result')
      return { kind: 'answered', json: String(message.json), nothing: message.nothing === true };
    if (message.kind === 'not-json')
      return { kind: 'failed', failure: { kind: 'not-json', fault: String(message.fault) } };
    return { kind: 'failed', failure: { kind: 'threw', ...errorOf(message) } };
  }

  async #callByHttp(event: CloudEvent): Promise<Answer> {
    const { port, isWeb, timeoutMs } = this.#plan;
    const late = (): Failure => ({ kind: 'hung', while: 'running', limitMs: timeoutMs });
    const answer = await this.#within(timeoutMs, callByHttp(port, event, isWeb), late);
    this.#notePeak();
    if (answer.kind === 'failed' && answer.failure.kind === 'broken') {
      // A connection that breaks off is told first; why it did may follow.
      await sleep(AFTERMATH_MS);
      if (this.#end !== undefined) return { kind: 'failed', failure: this.#end };
    }
    const isAnswer = answer.kind === 'answered' || answer.kind === 'failed';
    return isAnswer ? answer : { kind: 'failed', failure: answer };
  }

  /** What comes first: some work, the end of the process, or that of patience. */
  #within<T>(limitMs: number, work: Promise<T>, late: () => Failure): Promise<T | Failure> {
    if (this.#end !== undefined) return Promise.resolve(this.#end);
    return new Promise((resolve, reject) => {
      const ended = (failure: Failure): void => over(() => resolve(failure));
      const timer = setTimeout(() => {
        this.#finish(late());
        this.#kill();
      }, limitMs);
      const over = (then: () => void): void => {
        clearTimeout(timer);
        this.#watchers.delete(ended);
        then();
      };
      this.#watchers.add(ended);
      work.then(
        (value) => over(() => resolve(value)),
        (error: unknown) => over(() => reject(error instanceof Error ? error : new Error(String(error)))),
      );
    });
  }

  /**
   * Asks what listens to end by itself, as hosts do.
   * @returns whether it did in the time that the destination gives it; undefined where it is not asked
   */
  async askToEnd(): Promise<boolean | undefined> {
    if (this.#plan.speaks !== 'http' || this.#hasExited || this.#child.pid === undefined) return undefined;
    const exited = new Promise<boolean>((resolve) => this.#child.once('exit', () => resolve(true)));
    signal(this.#functionPid, 'SIGTERM');
    const patience = new AbortController();
    const late = sleep(this.#plan.calls.stopMs, false, { signal: patience.signal }).catch(() => false);
    const didEnd = await Promise.race([exited, late]);
    patience.abort();
    return didEnd;
  }

  get #hasExited(): boolean {
    return this.#child.exitCode !== null || this.#child.signalCode !== null;
  }

  /** Its own process; in a confinement that is below `unshare` and the shell that waits for it. */
  get #functionPid(): number {
    return this.#processes[0] ?? this.#child.pid ?? 0;
  }

  /** Its own process, and all that were started below it or left by it to the shell. */
  get #processes(): readonly number[] {
    const { pid = 0 } = this.#child;
    return this.#plan.isConfined ? startedFrom(pid).slice(1) : [pid, ...startedFrom(pid)];
  }

  /** Ends the process and everything it started. */
  async close(): Promise<void> {
    clearInterval(this.#memoryWatch);
    process.removeListener('exit', this.#onExit);
    if (this.#hasExited || this.#child.pid === undefined) return;
    const closed = new Promise((resolve) => this.#child.once('exit', resolve));
    this.#kill();
    await closed;
  }

  #ask(command: unknown, limitMs: number, doing: 'loading' | 'running'): Promise<Message | Failure> {
    if (this.#end !== undefined) return Promise.resolve(this.#end);
    return new Promise((resolve) => {
      const timer = setTimeout(() => {
        this.#finish({ kind: 'hung', while: doing, limitMs });
        this.#kill();
      }, limitMs);
      this.#waiting = (end) => {
        clearTimeout(timer);
        this.#waiting = undefined;
        resolve(end);
      };
      const commands = this.#plan.speaks === 'lines' ? this.#child.stdin : (this.#child.stdio[3] as Duplex);
      commands?.write(`${writeExact(command)}\n`);
    });
  }

  #hear(line: string): void {
    let message: Message | undefined;
    try {
      message = JSON.parse(line) as Message;
    } catch {
      message = undefined;
    }
    if (message?.mark === this.#mark) {
      if (Array.isArray(message.seen)) this.#seen = message.seen.map(String);
      if (Array.isArray(message.asked)) this.#asked = message.asked.map(String);
      this.#waiting?.(message);
      return;
    }
    this.#finish({ kind: 'garbled', what: `it wrote ${JSON.stringify(line.slice(0, 60))} where only the host writes` });
    this.#kill();
  }

  #notStarted(why: string): Failure {
    const what = this.#plan.speaks === 'runner' ? 'the runtime' : 'the executable';
    return { kind: 'garbled', what: `${what} cannot be started: ${why}` };
  }

  #notePeak(): void {
    this.#peakBytes = Math.max(this.#peakBytes, residentBytes(this.#functionPid, 'VmHWM') ?? 0);
  }

  /** A line of an executable is its answer, where it was asked something. */
  #hearPlain(line: string): void {
    if (this.#waiting === undefined) {
      this.#extra ??= line;
      return;
    }
    this.#notePeak();
    this.#waiting({ mark: this.#mark, ...plainAnswer(line) });
  }

  #closed(code: number | null, ownSignal: NodeJS.Signals | null): void {
    const signal = ownSignal ?? (this.#plan.isConfined ? signalIn(code ?? 0) : undefined) ?? null;
    const unstarted = this.#plan.isConfined && (code === 126 || code === 127) ? this.#log.lastLine() : '';
    const [, why] = /failed to execute .*: ([^:]+)$/.exec(unstarted) ?? [];
    if (why !== undefined) this.#finish(this.#notStarted(why));
    // Runtimes end in ways of their own when their heap is full: by a signal, or with a code.
    const { fullHeap } = this.#plan;
    if (fullHeap !== undefined && this.#log.mentions(fullHeap))
      this.#finish({ kind: 'memory', limitBytes: this.#plan.memoryBytes });
    else if (signal !== null) this.#finish({ kind: 'killed', signal });
    else this.#finish({ kind: 'exited', code: code ?? 0 });
  }

  /** The first end is the true one: what follows comes of our own killing. */
  #finish(failure: Failure): void {
    this.#end ??= failure;
    this.#waiting?.(this.#end);
    for (const tell of this.#watchers) tell(this.#end);
  }

  #watchMemory(): void {
    const bytes = togetherBytes(this.#processes);
    if (bytes === undefined) return;
    this.#peakBytes = Math.max(this.#peakBytes, bytes);
    if (bytes <= this.#plan.memoryBytes) return;
    this.#finish({ kind: 'memory', limitBytes: this.#plan.memoryBytes });
    this.#kill();
  }

  #kill(): void {
    if (this.#child.pid === undefined) return;
    signal(-this.#child.pid, 'SIGKILL');
  }
}

/** To a process, or to a group of them by its negative number; nothing where it has ended already. */
function signal(pid: number, name: 'SIGTERM' | 'SIGKILL'): void {
  try {
    process.kill(pid, name);
  } catch {
    // It has ended already.
  }
}
