/** Runs the hooks of a Python build backend (PEP 517). */
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { EmballageError } from '../../../base/errors';
import { printable } from '../../../base/text';

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
const SHOWN_LINES = 12;

/** @param python path of the interpreter, `what` the source distribution for messages */
export async function callBackend(python: string, call: BackendCall, what: string): Promise<unknown> {
  const child = spawn(python, ['-I', '-B', '-X', 'utf8', join(__dirname, 'build-wheel.py')], {
    // Nothing of the machine gets in but what a compiler needs to be found.
    env: {
      PATH: call.searchPath,
      PYTHONHASHSEED: '0',
      SOURCE_DATE_EPOCH: '315532800',
      LC_ALL: 'C.UTF-8',
      HOME: call.target,
    },
    stdio: ['pipe', 'pipe', 'pipe'],
    timeout: PATIENCE_MS,
  });
  let answer = '';
  let log = '';
  child.stdout.on('data', (bytes: Buffer) => (answer += bytes.toString('utf8')));
  child.stderr.on('data', (bytes: Buffer) => (log = (log + bytes.toString('utf8')).slice(-20_000)));
  child.stdin.on('error', () => undefined);
  child.stdin.end(JSON.stringify(call));
  const status = await new Promise<number | null>((resolve, reject) => {
    child.once('error', reject);
    child.once('close', resolve);
  });
  if (status === 0) return (JSON.parse(answer) as { result: unknown }).result;
  throw new EmballageError('PACKAGE_INVALID', {
    doing: 'building a wheel from source',
    where: printable(what),
    expected: `its build backend \`${printable(call.backend)}\` to make one`,
    found: status === null ? 'no end within ten minutes' : `exit code ${String(status)}`,
    mend: 'choose a version that has a wheel, or make the wheel yourself and name its folder as a source',
    details: log.trim().split('\n').slice(-SHOWN_LINES).map(printable),
  });
}
