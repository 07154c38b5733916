/** Tests that run Python code need the version that the test projects are for. */
import { spawnSync } from 'node:child_process';

export const PYTHON = '3.11';

const isHere = ['python3', `python${PYTHON}`].some((name) => {
  const { stdout } = spawnSync(name, ['-c', 'import sys; print("%d.%d" % sys.version_info[:2])'], { encoding: 'utf8' });
  return (stdout as string | null)?.trim() === PYTHON;
});

if (!isHere)
  process.stderr.write(`left out: tests that run Python ${PYTHON}; to have them, put python${PYTHON} on the PATH\n`);

/** A test that is skipped, and said to be, where that Python is missing. */
export const itWithPython = isHere ? it : it.skip;
