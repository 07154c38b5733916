/** Python bytecode by the target's own interpreter. */
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { EmballageError } from '../../../base/errors';

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
  const child = spawn(python, ['-I', '-B', '-X', 'utf8', join(__dirname, 'compile-bytecode.py')], {
    env: { PYTHONHASHSEED: '0' },
    stdio: ['pipe', 'pipe', 'pipe'],
  });
  let errors = '';
  child.stderr.on('data', (bytes: Buffer) => (errors += bytes.toString('utf8').slice(0, 4000)));
  let answers = '';
  child.stdout.on('data', (bytes: Buffer) => (answers += bytes.toString('utf8')));
  child.stdin.on('error', () => undefined);
  child.stdin.end(jobs.map((job) => `${JSON.stringify(job)}\n`).join(''));
  const status = await new Promise<number | null>((resolve, reject) => {
    child.once('error', reject);
    child.once('close', resolve);
  });
  if (status === 0) return targetsIn(answers);
  throw new EmballageError('TOOLCHAIN_MISSING', {
    doing: 'compiling bytecode',
    where: python,
    expected: 'the interpreter to compile the sources',
    found: errors.trim().split('\n').at(-1) ?? `exit code ${String(status)}`,
    mend: 'mend the interpreter, or take `bytecode` out of the sheet',
  });
}

function targetsIn(answers: string): Set<string> {
  const all = answers.split('\n').filter((line) => line !== '');
  const parsed = all.map((line) => JSON.parse(line) as { target: string; error?: string });
  return new Set(parsed.flatMap(({ target, error }) => (error === undefined ? [target] : [])));
}
