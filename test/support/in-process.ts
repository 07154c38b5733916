/** Commands in the process of the tests: in a thread of it that loads the program once, while the test waits. */
import * as threads from 'node:worker_threads';
import { join } from 'node:path';

export interface Command {
  readonly cwd: string;
  readonly env: Readonly<Record<string, string | undefined>>;
  readonly args: readonly string[];
}

export interface Ended {
  readonly status: number | null;
  readonly stdout: string;
  readonly stderr: string;
}

interface CommandThread {
  readonly worker: threads.Worker;
  /** Becomes 1 when a command has ended. */
  readonly signal: Int32Array;
  readonly port: threads.MessagePort;
}

/** A command that takes longer than any would. */
const PATIENCE_MS = 120_000;

/** What the runtime itself takes from its environment when it starts: only a process of its own has it otherwise. */
const OF_THE_RUNTIME = /^(?:HOME|TZ|USER|LD_.*|NODE_.*|SSL_CERT_.*|FAKETIME.*|NO_PROXY|.*_proxy)$/i;

/** @param env what a test states beside what all commands have */
export function needsProcess(env: Readonly<Record<string, string | undefined>>): boolean {
  return Object.keys(env).some((name) => OF_THE_RUNTIME.test(name));
}

/** All test files of a process share the thread: a module of the runtime is what they have in common. */
const SHARED = Symbol.for('emballage.commands');
const shared = threads as { [SHARED]?: CommandThread | undefined };

/** @param program absolute path of what a person starts */
export function runHere(program: string, command: Command): Ended {
  const { worker, signal, port } = (shared[SHARED] ??= startThread(program));
  const from = process.cwd();
  // Files by relative paths are found from the folder that the whole process is in.
  process.chdir(command.cwd);
  try {
    Atomics.store(signal, 0, 0);
    worker.postMessage(command);
    const outcome = Atomics.wait(signal, 0, 0, PATIENCE_MS);
    const answer = threads.receiveMessageOnPort(port)?.message as Ended | undefined;
    if (answer !== undefined) return answer;
    shared[SHARED] = undefined;
    void worker.terminate();
    throw new Error(`${command.args.join(' ')}: ${outcome === 'timed-out' ? 'did not end' : 'ended without a word'}`);
  } finally {
    process.chdir(from);
  }
}

function startThread(program: string): CommandThread {
  const signal = new Int32Array(new SharedArrayBuffer(Int32Array.BYTES_PER_ELEMENT));
  const { port1: port, port2 } = new threads.MessageChannel();
  const worker = new threads.Worker(join(__dirname, 'command-thread.js'), {
    workerData: { program, signal, port: port2 },
    transferList: [port2],
    env: {},
  });
  worker.unref();
  port.unref();
  return { worker, signal, port };
}
