/** Python bytecode by the target's own interpreter. */
import { join } from 'node:path';
import { EmballageError } from '../../../base/errors';
import { runProgram } from '../../../toolchains/run-program';

const MAX_OUTPUT_BYTES = 256 * 1024 * 1024;

export interface BytecodeJob {
  /** Absolute path of the source, its path in the artifact, and the absolute path of what is made. */
  readonly source: string;
  readonly name: string;
  readonly target: string;
}

/**
 * Compiles sources. What does not compile for this version is left out: importing it fails then as it would have anyway.
 * @param python path of the interpreter
 * @returns the targets that were made
 */
export async function compileBytecode(python: string, jobs: readonly BytecodeJob[]): Promise<Set<string>> {
  const { code, stdout, stderr } = await runProgram({
    program: python,
    args: ['-I', '-B', '-X', 'utf8', join(__dirname, 'compile-bytecode.py')],
    env: { PYTHONHASHSEED: '0' },
    input: jobs.map((job) => `${JSON.stringify(job)}\n`).join(''),
    maxBytes: MAX_OUTPUT_BYTES,
  });
  if (code === 0) return targetsIn(stdout);
  throw new EmballageError('TOOLCHAIN_MISSING', {
    doing: 'compiling bytecode',
    where: python,
    expected: 'the interpreter to compile the sources',
    found: stderr.trim().split('\n').at(-1) ?? `exit code ${String(code)}`,
    mend: 'mend the interpreter, or take `bytecode` out of the sheet',
  });
}

function targetsIn(answers: string): Set<string> {
  const all = answers.split('\n').filter((line) => line !== '');
  const parsed = all.map((line) => JSON.parse(line) as { target: string; error?: string });
  return new Set(parsed.flatMap(({ target, error }) => (error === undefined ? [target] : [])));
}
