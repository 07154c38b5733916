/** Runs the hooks of a Python build backend (PEP 517). */
import { join } from 'node:path';
import { EmballageError } from '../../../base/errors';
import { printable } from '../../../base/text';
import { runProgram } from '../../../toolchains/run-program';

export interface BackendCall {
  readonly hook: 'requires' | 'wheel';
  /** `setuptools.build_meta`, `mod:object`. */
  readonly backend: string;
  /** Folders of the source that the backend itself is in. */
  readonly backendPath: readonly string[];
  /** Absolute paths: the unpacked source, what to import from, and where the wheel goes. */
  readonly source: string;
  readonly paths: readonly string[];
  readonly target: string;
  /** The PATH, on which a compiler may be. */
  readonly searchPath: string;
}

const PATIENCE_MS = 10 * 60_000;
const MAX_OUTPUT_BYTES = 256 * 1024 * 1024;
const SHOWN_LINES = 12;

/** @param python path of the interpreter, `what` the source distribution for messages */
export async function callBackend(python: string, call: BackendCall, what: string): Promise<unknown> {
  const { code, stdout, stderr } = await runProgram({
    program: python,
    args: ['-I', '-B', '-X', 'utf8', join(__dirname, 'build-wheel.py')],
    // Nothing of the machine gets in but what a compiler needs to be found.
    env: {
      PATH: call.searchPath,
      PYTHONHASHSEED: '0',
      SOURCE_DATE_EPOCH: '315532800',
      LC_ALL: 'C.UTF-8',
      HOME: call.target,
    },
    input: JSON.stringify(call),
    patienceMs: PATIENCE_MS,
    maxBytes: MAX_OUTPUT_BYTES,
  });
  if (code === 0) return (JSON.parse(stdout) as { result: unknown }).result;
  throw new EmballageError('PACKAGE_INVALID', {
    doing: 'building a wheel from source',
    where: printable(what),
    expected: `its build backend \`${printable(call.backend)}\` to make one`,
    found: code === undefined ? 'no end within ten minutes' : `exit code ${String(code)}`,
    mend: 'choose a version that has a wheel, or make the wheel yourself and name its folder as a source',
    details: stderr.trim().split('\n').slice(-SHOWN_LINES).map(printable),
  });
}
