/** One process of the stand-in host: loads a function, calls it, and holds it to its time and memory. */
import { spawn, type ChildProcess } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { createInterface } from 'node:readline';
import { setTimeout as sleep } from 'node:timers/promises';
import type { Duplex, Readable } from 'node:stream';
import { LineSplitter } from '../../core/base/line-splitter';
import type { CloudEvent } from './event';
import { writeExact } from './exact-json';
import { LogKeeper } from './log';

export type Failure =
  | {
      readonly kind: 'threw' | 'load-failed';
      readonly name: string;
      readonly message: string;
      readonly stack: string;
      /** The module that could not be found, where that is what went wrong. */
      readonly missing?: string;
    }
  | { readonly kind: 'no-member'; readonly found: string; readonly members: readonly string[] }
  | { readonly kind: 'hung'; readonly while: 'loading' | 'running'; readonly limitMs: number }
  | { readonly kind: 'exited'; readonly code: number }
  | { readonly kind: 'killed'; readonly signal: string }
  | { readonly kind: 'memory'; readonly limitBytes: number }
  | { readonly kind: 'not-json'; readonly fault: string }
  | { readonly kind: 'garbled'; readonly what: string }
  /** A web application that answered with a failure of its own; the response, as JSON. */
  | { readonly kind: 'status'; readonly status: number; readonly json: string };

export type Answer =
  | { readonly kind: 'answered'; readonly json: string; readonly nothing: boolean }
  | { readonly kind: 'failed'; readonly failure: Failure };

export interface ProcessPlan {
  /**
   * How it is spoken to: through a runner, over descriptors of its own; or an event a line on standard input, an answer
   * a line on standard output.
   */
  readonly speaks: 'runner' | 'lines';
  /** The runtime's program and its arguments up to the runner. */
  readonly program: string;
  readonly args: readonly string[];
  readonly cwd: string;
  readonly env: Readonly<Record<string, string>>;
  /** User and group to become; undefined to stay who we are. */
  readonly user?: number;
  readonly load: {
    /** Absolute path of the unpacked artifact, and of the entry in it. */
    readonly root: string;
    readonly file: string;
    /** The class that has the member, where the runtime wants to be told. */
    readonly className?: string;
    readonly member: string;
    readonly name: string;
    readonly memory: number;
  };
  readonly memoryBytes: number;
  readonly timeoutMs: number;
  /** What the runtime writes before it ends for want of memory. */
  readonly fullHeap?: string | undefined;
}

const MEMORY_LOOK_MS = 20;
const LOG_ROUND_MS = 5;
const MAX_LOG_ROUNDS = 200;
/** The longest answer of an executable. */
const MAX_ANSWER_BYTES = 64 * 1024 * 1024;
/** Loading may take this long even where a call may not. */
const LEAST_LOAD_MS = 10_000;

type Message = { readonly mark?: unknown } & Readonly<Record<string, unknown>>;

export class HostProcess {
  readonly #plan: ProcessPlan;
  readonly #byLines: boolean;
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

  constructor(plan: ProcessPlan) {
    this.#plan = plan;
    this.#byLines = plan.speaks === 'lines';
    this.#child = spawn(plan.program, plan.args, {
      cwd: plan.cwd,
      env: { ...plan.env },
      stdio: this.#byLines ? ['pipe', 'pipe', 'pipe'] : ['ignore', 'pipe', 'pipe', 'pipe', 'pipe'],
      // A group of its own, so that what it starts ends with it.
      detached: true,
      ...(plan.user !== undefined && { uid: plan.user, gid: plan.user }),
    });
    if (!this.#byLines) this.#child.stdout?.on('data', (bytes: Buffer) => this.#log.add(bytes));
    this.#child.stderr?.on('data', (bytes: Buffer) => this.#log.add(bytes));
    if (this.#byLines) {
      this.#child.stdin?.on('error', () => undefined);
      const lines = new LineSplitter(MAX_ANSWER_BYTES, (line) => this.#hearPlain(line));
      this.#child.stdout?.on('data', (bytes: Buffer) => {
        if (lines.add(bytes)) return;
        this.#finish({
          kind: 'garbled',
          what: `it wrote more than ${String(MAX_ANSWER_BYTES)} bytes without ending the line`,
        });
        this.#kill();
      });
    } else {
      const answers = this.#child.stdio[4] as Readable;
      createInterface({ input: answers }).on('line', (line) => this.#hear(line));
      // Read to its end, though nothing comes, or the process would never count as closed.
      (this.#child.stdio[3] as Duplex).on('error', () => undefined).resume();
    }
    this.#child.on('error', (error) =>
      this.#finish({
        kind: 'garbled',
        what: `${this.#byLines ? 'the executable' : 'the runtime'} cannot be started: ${error.message}`,
      }),
    );
    this.#child.on('close', (code, signal) => this.#closed(code, signal));
    // Nothing that was started stays behind, however we end.
    process.once('exit', this.#onExit);
    this.#memoryWatch = setInterval(() => this.#watchMemory(), MEMORY_LOOK_MS);
    this.#memoryWatch.unref();
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

  get hasEnded(): boolean {
    return this.#end !== undefined;
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
    if (this.#byLines) return this.#spawned();
    const limitMs = Math.max(LEAST_LOAD_MS, this.#plan.timeoutMs);
    const message = await this.#ask({ kind: 'load', mark: this.#mark, ...this.#plan.load }, limitMs, 'loading');
    if (isFailure(message)) return message;
    if (message.kind === 'loaded') return undefined;
    if (message.kind === 'load-failed') return { kind: 'load-failed', ...errorOf(message) };
    const members = Array.isArray(message.members) ? message.members.map(String) : [];
    return { kind: 'no-member', found: String(message.found), members };
  }

  /** An executable is ready when it runs: there is nothing that it says. */
  #spawned(): Promise<Failure | undefined> {
    if (this.#child.pid !== undefined) return Promise.resolve(undefined);
    return new Promise((resolve) => this.#child.once('error', () => resolve(this.#end)));
  }

  async call(event: CloudEvent, run: string, deadline: string): Promise<Answer> {
    const command = this.#byLines ? event : { kind: 'call', run, deadline, event };
    const message = await this.#ask(command, this.#plan.timeoutMs, 'running');
    if (isFailure(message)) return { kind: 'failed', failure: message };
    this.#peakBytes = Math.max(this.#peakBytes, Number(message.peak ?? 0));
    if (message.kind === 'result')
      return { kind: 'answered', json: String(message.json), nothing: message.nothing === true };
    if (message.kind === 'not-json')
      return { kind: 'failed', failure: { kind: 'not-json', fault: String(message.fault) } };
    return { kind: 'failed', failure: { kind: 'threw', ...errorOf(message) } };
  }

  /** Ends the process and everything it started. */
  async close(): Promise<void> {
    clearInterval(this.#memoryWatch);
    process.removeListener('exit', this.#onExit);
    if (this.#child.exitCode !== null || this.#child.signalCode !== null || this.#child.pid === undefined) return;
    const closed = new Promise((resolve) => this.#child.once('exit', resolve));
    this.#kill();
    await closed;
  }

  #ask(command: object, limitMs: number, doing: 'loading' | 'running'): Promise<Message | Failure> {
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
      const commands = this.#byLines ? this.#child.stdin : (this.#child.stdio[3] as Duplex);
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

  /** A line of an executable is its answer, where it was asked something. */
  #hearPlain(line: string): void {
    if (this.#waiting === undefined) {
      this.#extra ??= line;
      return;
    }
    this.#peakBytes = Math.max(this.#peakBytes, residentBytes(this.#child.pid, 'VmHWM') ?? 0);
    try {
      JSON.parse(line);
      this.#waiting({ mark: this.#mark, kind: 'result', json: line, nothing: line.trim() === 'null' });
    } catch {
      const fault = `it answered ${JSON.stringify(line.slice(0, 60))}, which is no JSON`;
      this.#waiting({ mark: this.#mark, kind: 'not-json', fault });
    }
  }

  #closed(code: number | null, signal: NodeJS.Signals | null): void {
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
  }

  #watchMemory(): void {
    const bytes = residentBytes(this.#child.pid);
    if (bytes === undefined) return;
    this.#peakBytes = Math.max(this.#peakBytes, bytes);
    if (bytes <= this.#plan.memoryBytes) return;
    this.#finish({ kind: 'memory', limitBytes: this.#plan.memoryBytes });
    this.#kill();
  }

  #kill(): void {
    if (this.#child.pid === undefined) return;
    try {
      process.kill(-this.#child.pid, 'SIGKILL');
    } catch {
      // It has ended already.
    }
  }
}

function isFailure(message: Message | Failure): message is Failure {
  return !('mark' in message);
}

function errorOf(message: Message): { name: string; message: string; stack: string; missing?: string } {
  const error = (typeof message.error === 'object' ? message.error : {}) as Record<string, unknown>;
  return {
    name: String(error.name ?? 'Error'),
    message: String(error.message ?? ''),
    stack: String(error.stack ?? ''),
    ...(typeof error.missing === 'string' && { missing: error.missing }),
  };
}

/** Resident memory from /proc, now (`VmRSS`) or at its highest (`VmHWM`); undefined where the system has none. */
function residentBytes(pid: number | undefined, which: 'VmRSS' | 'VmHWM' = 'VmRSS'): number | undefined {
  try {
    const status = readFileSync(`/proc/${String(pid)}/status`, 'utf8');
    const [, kib] = new RegExp(`^${which}:\\s+(\\d+) kB`, 'm').exec(status) ?? [];
    return kib === undefined ? undefined : Number(kib) * 1024;
  } catch {
    return undefined;
  }
}
