/** System tools that tests use as independent judges. */
import { spawnSync } from 'node:child_process';

/** The tool's name; the test fails with the way to get it when it is not here. */
export function requireTool(name: 'python3' | 'unzip' | 'zip'): string {
  if (spawnSync(name, ['--help']).error !== undefined)
    throw new Error(`${name} is not installed: scripts/toolchains.sh installs it`);
  return name;
}
