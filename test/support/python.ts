/** Tests that run Python code need the version that the test projects are for. */
import { spawnSync } from 'node:child_process';
import { itNeeds } from './needs';

export const PYTHON = '3.11';

const isHere = ['python3', `python${PYTHON}`].some((name) => {
  const { stdout } = spawnSync(name, ['-c', 'import sys; print("%d.%d" % sys.version_info[:2])'], { encoding: 'utf8' });
  return (stdout as string | null)?.trim() === PYTHON;
});

/** A test that runs code in that Python. */
export const itWithPython = itNeeds({ isHere, what: `Python ${PYTHON} on the PATH`, from: 'python3' });
