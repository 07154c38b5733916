/** Runs compilers of native code in a clean environment, and tells what they said when they fail. */
import { EmballageError, messageOf, systemCode } from '../base/errors';
import { printable } from '../base/text';
import { passedClock } from './faked-clock';
import type { Machine } from './machine';
import { runProgram, type ProgramEnd } from './run-program';

export interface CompilerRun {
  /** Absolute path. */
  readonly program: string;
  readonly args: readonly string[];
  readonly cwd: string;
  /** The whole environment. */
  readonly env: Readonly<Record<string, string>>;
  /** As it stands after "while": `compiling tide-solver for arm64`. */
  readonly doing: string;
  /** Told what is being compiled, where the compiler says so. */
  readonly onCompiling?: (what: string) => void;
  /** What is taken out of messages: paths that mean nothing to people. */
  readonly shown: (line: string) => string;
}

const PATIENCE_MS = 30 * 60_000;
const MAX_OUTPUT_BYTES = 64 * 1024 * 1024;
const MAX_LINES = 40;
/** What package managers say while all is well. */
const PROGRESS =
  /^\s+(?:Compiling|Checking|Finished|Fresh|Updating|Locking|Unpacking) |^go: downloading |^[\w.~-]+(?:\/[\w.~-]+)*$/;
/** What is being compiled: a package with its version, or its path. */
const COMPILING = /^\s+Compiling (\S+ v\S+)|^((?:[\w.~-]+\/)*[\w.~-]+)$/;

/** What every compiler finds in its environment, and nothing else. */
export function cleanEnvironment(
  home: string,
  { epochSeconds, machine }: { readonly epochSeconds: number; readonly machine: Pick<Machine, 'variables'> },
): Record<string, string> {
  return {
    ...passedClock(machine.variables()),
    PATH: '/usr/local/bin:/usr/bin:/bin',
    HOME: home,
    TMPDIR: home,
    LC_ALL: 'C.UTF-8',
    TZ: 'UTC',
    SOURCE_DATE_EPOCH: String(epochSeconds),
  };
}

/**
 * @returns what it wrote to standard output
 * @throws EmballageError COMPILER_FAILED with its own message, TOOLCHAIN_MISSING where it cannot be started
 */
export async function runCompiler(run: CompilerRun): Promise<string> {
  const { program, args, cwd, env, doing, onCompiling } = run;
  const limits = { patienceMs: PATIENCE_MS, maxBytes: MAX_OUTPUT_BYTES };
  const listening = onCompiling !== undefined && { onLine: (line: string) => tellCompiling(line, onCompiling) };
  let end: ProgramEnd;
  try {
    end = await runProgram({ program, args, cwd, env, ...limits, ...listening });
  } catch (error) {
    const found = systemCode(error) ?? messageOf(error);
    const facts = { doing, where: program, expected: 'a compiler that starts', found, mend: 'install it again' };
    throw new EmballageError('TOOLCHAIN_MISSING', facts, error);
  }
  if (end.code === 0) return end.stdout;
  throw failed(end, run, doing);
}

function tellCompiling(line: string, onCompiling: (what: string) => void): void {
  const [, named, path] = COMPILING.exec(line) ?? [];
  const what = named ?? path;
  if (what !== undefined) onCompiling(printable(what));
}

function failed({ code, signal, stderr }: ProgramEnd, run: CompilerRun, doing: string): EmballageError {
  const lines = stderr.split('\n').filter((line) => line.trim() !== '' && !PROGRESS.test(line));
  // Compilers tell the first mistake first; what follows often comes of it.
  const shown = lines.slice(0, MAX_LINES).map((line) => printable(run.shown(line)));
  const left = lines.length - shown.length;
  return new EmballageError('COMPILER_FAILED', {
    doing,
    expected: 'a compiler that succeeds',
    found: signal === undefined ? `one that failed, exit code ${String(code)}` : `one that was ended by ${signal}`,
    mend: shown.length === 0 ? 'run the compiler by hand' : 'mend what it says',
    details: left > 0 ? [...shown, `… ${String(left)} lines more`] : shown,
  });
}
