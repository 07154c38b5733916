/**
 * Runs programs that work for us. Each has a process group of its own: an interrupt at the keyboard reaches us alone, and
 * when we end, whatever it started ends with it.
 */
import { spawn, type ChildProcess } from 'node:child_process';
import { LineSplitter } from '../base/line-splitter';

export interface ProgramRun {
  /** Absolute path. */
  readonly program: string;
  readonly args: readonly string[];
  readonly cwd?: string;
  /** The whole environment; ours otherwise. */
  readonly env?: Readonly<Record<string, string | undefined>>;
  /** What it reads from standard input. */
  readonly input?: string;
  readonly patienceMs?: number;
  /** Given each line of standard error as it is written. */
  readonly onLine?: (line: string) => void;
  /** Most of what it may write; it is ended when it writes more. */
  readonly maxBytes: number;
}

export interface ProgramEnd {
  /** Exit code; undefined where it was ended. */
  readonly code: number | undefined;
  /** Undefined where it ended by itself. */
  readonly signal: string | undefined;
  /** Why we ended it. */
  readonly ended: 'too-long' | 'too-much' | undefined;
  readonly stdout: string;
  readonly stderr: string;
}

const running = new Set<ChildProcess>();

/** Ends a program and all that it started. */
function endGroup({ pid }: ChildProcess, signal: 'SIGTERM' | 'SIGKILL'): void {
  try {
    if (pid !== undefined) process.kill(-pid, signal);
  } catch {
    // It has ended already.
  }
}

function endAll(): void {
  for (const child of running) endGroup(child, 'SIGTERM');
}

/** Has a program that was started with a process group of its own end when we do. */
export function endsWithUs(child: ChildProcess): void {
  if (running.size === 0 && !process.listeners('exit').includes(endAll)) process.on('exit', endAll);
  running.add(child);
  child.once('exit', () => running.delete(child));
}

/** @throws Error of the system, with its code, where the program cannot be started */
export function runProgram(run: ProgramRun): Promise<ProgramEnd> {
  const { program, args, cwd, env, input, patienceMs, maxBytes, onLine } = run;
  return new Promise((resolve, reject) => {
    const child = spawn(program, [...args], {
      detached: true,
      stdio: [input === undefined ? 'ignore' : 'pipe', 'pipe', 'pipe'],
      ...(cwd !== undefined && { cwd }),
      ...(env !== undefined && { env: { ...env } }),
    });
    endsWithUs(child);
    let ended: ProgramEnd['ended'];
    const end = (why: ProgramEnd['ended']): void => {
      ended ??= why;
      endGroup(child, 'SIGKILL');
    };
    const timer = patienceMs === undefined ? undefined : setTimeout(() => end('too-long'), patienceMs);
    const written = { stdout: [] as Buffer[], stderr: [] as Buffer[] };
    let bytes = 0;
    for (const name of ['stdout', 'stderr'] as const)
      child[name]?.on('data', (piece: Buffer) => {
        bytes += piece.length;
        if (bytes > maxBytes) end('too-much');
        else written[name].push(piece);
      });
    if (onLine !== undefined) {
      const lines = new LineSplitter(maxBytes, onLine);
      child.stderr?.on('data', (piece: Buffer) => lines.add(piece));
    }
    child.once('error', (error) => {
      clearTimeout(timer);
      reject(error);
    });
    child.once('close', (code, signal) => {
      clearTimeout(timer);
      const text = (pieces: readonly Buffer[]): string => Buffer.concat(pieces).toString('utf8');
      const { stdout, stderr } = written;
      resolve({
        code: code ?? undefined,
        signal: signal ?? undefined,
        ended,
        stdout: text(stdout),
        stderr: text(stderr),
      });
    });
    // It may end without reading what it is given.
    child.stdin?.on('error', () => undefined);
    child.stdin?.end(input);
  });
}
