/** Libraries of others that read bills of materials, as scripts/toolchains.sh installs them. */
import { spawnSync } from 'node:child_process';
import { homedir } from 'node:os';
import { join } from 'node:path';

const READERS = process.env.EMBALLAGE_READERS ?? join(homedir(), '.cache/emballage-readers');
const env = { ...process.env, PYTHONPATH: READERS };
const hasReaders =
  spawnSync('python3', ['-c', 'import cyclonedx.model.bom, spdx_tools.spdx.parser.parse_anything'], { env }).status ===
  0;
if (!hasReaders)
  process.stderr.write(
    'left out: tests in which others read bills of materials; scripts/toolchains.sh installs them\n',
  );

/** A test that is skipped, and said to be, where they are missing. */
export const itWithReaders = hasReaders ? it : it.skip;

/** What a program in Python says, as JSON. @param args its arguments */
export function pythonSays(program: string, args: readonly string[]): unknown {
  const { stdout, stderr, status } = spawnSync('python3', ['-c', program, ...args], { env, encoding: 'utf8' });
  if (status !== 0) throw new Error(stderr);
  return JSON.parse(stdout) as unknown;
}
