/** The stand-in host: unpacks an artifact into a fresh read-only folder and calls the function in it with events. */
import {
  chmodSync,
  chownSync,
  copyFileSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  rmSync,
  statSync,
  symlinkSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { basename, dirname, join } from 'node:path';
import { withFileSource } from '../../core/disk/file-source';
import { unpackZip } from '../../core/disk/unpack';
import type { HostRun } from '../../core/languages';
import type { Calls, NamedEvent, Shape } from '../../core/events';
import { prepareImage, type ImagePlan } from './image';
import type { Log } from './log';
import type { Answer } from './answer';
import { freePort } from './ports';
import { HostProcess, type ProcessPlan } from './process';

export interface HostPlan {
  /** Absolute path of the artifact, and its name for messages. */
  readonly artifact: string;
  readonly shown: string;
  /** Name of the function. */
  readonly name: string;
  /** Entry file in the artifact, and the member. */
  readonly file: string;
  readonly member: string;
  /** How functions of its language are started, and the program that runs it; none where it is an executable itself. */
  readonly run: HostRun;
  readonly program?: string;
  /** What runs an executable for another processor, and the folder with the C library for it, where that is not the system’s own. */
  readonly emulator?: { readonly program: string; readonly sysroot?: string };
  /** For an image: what runs it; its own configuration says the rest. */
  readonly image?: ImagePlan;
  /** How the destination calls functions. */
  readonly calls: Calls;
  /** For a web application: the shape of its requests. */
  readonly shape?: Shape;
  readonly env: Readonly<Record<string, string>>;
  readonly memoryBytes: number;
  readonly timeoutMs: number;
  /** Milliseconds since 1970, and from some fixed moment. */
  readonly now: () => number;
  readonly elapsed: () => number;
}

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

export interface HostOutcome {
  readonly asNobody: boolean;
  /** Paths in the artifact of all modules that were loaded, sorted; empty where the runtime does not tell. */
  readonly seen: readonly string[];
  /** Names of modules that were asked for and are nowhere, sorted. */
  readonly asked: readonly string[];
  /** Whether it ended by itself when it was asked to, where that is asked. */
  readonly didEnd?: boolean;
}

/** Who a function runs as when we are root, for whom read-only files are not read-only: nobody. */
const NOBODY = 65_534;

/** A function that is ready to be called, from its unpacked artifact. */
export interface OpenHost {
  readonly asNobody: boolean;
  /** Calls that it takes at once. */
  readonly concurrency: number;
  /** Calls it; after a call that ended its process, the next one starts a new process. */
  call(event: NamedEvent): Promise<CallReport>;
  /** What was loaded and missed so far. */
  noted(): Omit<HostOutcome, 'asNobody' | 'didEnd'>;
  /** Ends its process and removes what was unpacked. @returns whether it ended by itself, where it was asked to */
  close(): Promise<boolean | undefined>;
}

/** Unpacks the artifact; the function is loaded by its first call. */
export async function openHost(plan: HostPlan): Promise<OpenHost> {
  const base = mkdtempSync(join(tmpdir(), 'emballage-host-'));
  const folders: string[] = [];
  const cleanUp = (): void => {
    for (const folder of folders) chmodSync(folder, 0o755);
    rmSync(base, { recursive: true, force: true });
  };
  process.once('exit', cleanUp);
  const end = (): void => {
    process.removeListener('exit', cleanUp);
    cleanUp();
  };
  try {
    if (plan.image !== undefined) return await openImageHost(plan, plan.image, base, end);
    const root = join(base, 'artifact');
    mkdirSync(root);
    const made = await putArtifact(plan, root);
    const asNobody = isRoot() && isOpenToAll(plan.program ?? plan.emulator?.program ?? '/');
    const processPlan = await prepare(plan, base, root, asNobody);
    for (const folder of [...made, root]) {
      chmodSync(folder, 0o555);
      folders.push(folder);
    }
    return new Caller(plan, processPlan, { root, asNobody, end });
  } catch (error) {
    end();
    throw error;
  }
}

async function openImageHost(plan: HostPlan, image: ImagePlan, base: string, end: () => void): Promise<OpenHost> {
  const started = await prepareImage(plan, image, plan.env, base);
  chmodSync(base, 0o755);
  const { file, name, member, memoryBytes, timeoutMs, calls } = plan;
  const load = { root: '/', file, member, name, memory: memoryBytes };
  const speaks = calls.image;
  const processPlan: ProcessPlan = {
    ...{ speaks, calls, isWeb: plan.shape !== undefined, port: speaks === 'http' ? await freePort() : 0 },
    ...{ cwd: base, load, memoryBytes, timeoutMs, ...started },
  };
  // Who it runs as the image says; its root is read-only to everybody.
  return new Caller(plan, processPlan, { root: '/', asNobody: true, end });
}

/** Unpacks the artifact; an executable by itself is run as it is, and so is what the runtime reads whole. @returns the folders that were made */
async function putArtifact(plan: HostPlan, root: string): Promise<string[]> {
  const isExecutable = plan.program === undefined && !plan.shown.endsWith('.zip');
  const name = isExecutable ? plan.file : plan.run.wholeAs;
  if (name === undefined)
    return withFileSource(plan.artifact, plan.shown, (source) => unpackZip(source, plan.shown, root));
  copyFileSync(plan.artifact, join(root, name));
  chmodSync(join(root, name), isExecutable ? 0o555 : 0o444);
  return [];
}

/** Calls the function with each event in turn. */
export async function runInHost(
  plan: HostPlan,
  events: readonly NamedEvent[],
  onCall: (report: CallReport) => void,
): Promise<HostOutcome> {
  const host = await openHost(plan);
  let didEnd: boolean | undefined;
  try {
    for (const event of events) onCall(await host.call(event));
  } finally {
    didEnd = await host.close();
  }
  return { asNobody: host.asNobody, ...host.noted(), ...(didEnd !== undefined && { didEnd }) };
}

async function prepare(plan: HostPlan, base: string, root: string, asNobody: boolean): Promise<ProcessPlan> {
  const scratch = join(base, 'scratch');
  mkdirSync(scratch);
  if (asNobody) {
    chmodSync(base, 0o755);
    chownSync(scratch, NOBODY, NOBODY);
  }
  const started =
    plan.program === undefined ? executable(plan, base, root) : withRunner(plan, plan.program, base, root);
  return {
    ...started,
    ...{ calls: plan.calls, isWeb: plan.shape !== undefined, port: started.speaks === 'http' ? await freePort() : 0 },
    cwd: scratch,
    env: plan.env,
    ...(asNobody && { user: NOBODY }),
    load: {
      ...{ root, member: plan.member, name: plan.name, memory: plan.memoryBytes },
      ...plan.run.load({ root }, plan.file),
    },
    fullHeap: plan.run.fullHeap,
    memoryBytes: plan.memoryBytes,
    timeoutMs: plan.timeoutMs,
  };
}

type Started = Pick<ProcessPlan, 'speaks' | 'program' | 'args'>;

function executable({ emulator, file, calls }: HostPlan, base: string, root: string): Started {
  const path = join(root, file);
  const speaks = calls.native;
  if (emulator === undefined) return { speaks, program: path, args: [] };
  const { program, sysroot } = emulator;
  const args = sysroot === undefined ? [path] : ['-L', linkedSystem(base, sysroot), path];
  return { speaks, program, args };
}

/**
 * A system for an emulator, of links to one C library. The loader looks in folders that are named for its processor first,
 * and would find there what this machine may have of another version: a C library and a loader that do not fit each other.
 */
function linkedSystem(base: string, sysroot: string): string {
  const system = join(base, 'system');
  mkdirSync(join(system, 'lib'), { recursive: true });
  for (const name of readdirSync(join(sysroot, 'lib')))
    symlinkSync(join(sysroot, 'lib', name), join(system, 'lib', name));
  for (const folder of NAMED_FOLDERS)
    if (!existsSync(join(system, 'lib', folder))) symlinkSync('.', join(system, 'lib', folder));
  mkdirSync(join(system, 'usr'));
  symlinkSync('../lib', join(system, 'usr/lib'));
  symlinkSync('lib', join(system, 'lib64'));
  return system;
}

/** Names that distributions give folders of processors. */
const NAMED_FOLDERS = ['aarch64-linux-gnu', 'x86_64-linux-gnu'];

function withRunner({ run, memoryBytes }: HostPlan, program: string, base: string, root: string): Started {
  if (run.runner === undefined) throw new Error('a runtime without a runner');
  const runner = join(base, basename(run.runner));
  copyFileSync(run.runner, runner);
  chmodSync(runner, 0o644);
  return { speaks: 'runner', program, args: run.args({ runner, root, memoryBytes }) };
}

class Caller implements OpenHost {
  readonly asNobody: boolean;
  readonly #plan: HostPlan;
  readonly #processPlan: ProcessPlan;
  readonly #root: string;
  readonly #end: () => void;
  readonly #seen = new Set<string>();
  readonly #asked = new Set<string>();
  /** Its process, and whether that is ready, or why not. */
  #running: Running | undefined;
  #calls = 0;

  constructor(
    plan: HostPlan,
    processPlan: ProcessPlan,
    { root, asNobody, end }: { readonly root: string; readonly asNobody: boolean; readonly end: () => void },
  ) {
    this.#plan = plan;
    this.#processPlan = processPlan;
    this.#root = root;
    this.asNobody = asNobody;
    this.#end = end;
  }

  get concurrency(): number {
    return this.#processPlan.speaks === 'http' ? this.#plan.calls.concurrency : 1;
  }

  async call(event: NamedEvent): Promise<CallReport> {
    const begun = this.#plan.elapsed();
    const cold = this.#running === undefined || this.#running.host.hasEnded;
    if (this.#running === undefined || this.#running.host.hasEnded) {
      const host = new HostProcess(this.#processPlan);
      this.#running = { host, ready: host.load() };
    }
    const running = this.#running;
    this.#calls += 1;
    const report = await callOnce(this.#plan, running, event, { cold, begun, run: `run-${String(this.#calls)}` });
    for (const path of running.host.seen) this.#seen.add(path);
    for (const name of running.host.asked) this.#asked.add(name);
    if (report.answer.kind === 'failed' && !running.host.goesOn && this.#running === running) this.#running = undefined;
    return { ...report, answer: withoutRoot(report.answer, this.#root) };
  }

  noted(): Omit<HostOutcome, 'asNobody' | 'didEnd'> {
    return { seen: [...this.#seen].sort(), asked: [...this.#asked].sort() };
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

function isRoot(): boolean {
  return process.getuid?.() === 0;
}

/** Whether another user can start a program: it and every folder above it must be open. */
function isOpenToAll(program: string): boolean {
  for (let path = program; ; path = dirname(path)) {
    if ((statSync(path).mode & 0o001) === 0) return false;
    if (path === dirname(path)) return true;
  }
}
