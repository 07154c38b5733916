/** Libraries of others that read bills of materials, as scripts/toolchains.sh installs them. */
import { spawnSync } from 'node:child_process';
import { homedir } from 'node:os';
import { join } from 'node:path';
import { itNeeds } from './needs';

const READERS = process.env.EMBALLAGE_READERS ?? join(homedir(), '.cache/emballage-readers');
const env = { ...process.env, PYTHONPATH: READERS };
const hasReaders =
  spawnSync('python3', ['-c', 'import cyclonedx.model.bom, spdx_tools.spdx.parser.parse_anything'], { env }).status ===
  0;
/** A test in which others read bills of materials. */
export const itWithReaders = itNeeds({ isHere: hasReaders, what: 'libraries that read bills', from: 'bill readers' });

/** What a program in Python says, as JSON. @param args its arguments */
export function pythonSays(program: string, args: readonly string[]): unknown {
  const { stdout, stderr, status } = spawnSync('python3', ['-c', program, ...args], { env, encoding: 'utf8' });
  if (status !== 0) throw new Error(stderr);
  return JSON.parse(stdout) as unknown;
}
