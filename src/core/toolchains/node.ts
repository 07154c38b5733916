/** Finds the Node.js programs on this machine. */
import { execFile } from 'node:child_process';
import { accessSync, constants, readdirSync, realpathSync } from 'node:fs';
import { join } from 'node:path';
import { promisify } from 'node:util';

export interface NodeRuntime {
  /** Absolute path. */
  readonly path: string;
  /** `20.20.2`. */
  readonly version: string;
  readonly major: number;
}

const VERSION_PATIENCE_MS = 10_000;
const NAMES = /^(?:node|nodejs|node-?\d+)$/;

/**
 * @param own the program that runs us, with its version
 * @param searchPath the PATH to look through
 */
export async function findNodeRuntimes(own: NodeRuntime, searchPath: string): Promise<NodeRuntime[]> {
  const paths = new Set<string>();
  for (const folder of searchPath.split(':').filter((f) => f !== ''))
    for (const name of namesIn(folder)) addProgram(paths, join(folder, name));
  paths.delete(realpathSync(own.path));
  const others = await Promise.all([...paths].map(askVersion));
  return [own, ...others.flatMap((runtime) => runtime ?? [])].sort((a, b) => b.major - a.major);
}

/** The one of the wanted major version, or else the nearest newer one, or else the nearest older one. */
export function chooseNode(runtimes: readonly NodeRuntime[], wantedMajor: number): NodeRuntime | undefined {
  const distance = ({ major }: NodeRuntime): number =>
    major >= wantedMajor ? major - wantedMajor : 1000 + wantedMajor - major;
  return runtimes.reduce<NodeRuntime | undefined>(
    (a, b) => (a === undefined || distance(b) < distance(a) ? b : a),
    undefined,
  );
}

function namesIn(folder: string): string[] {
  try {
    return readdirSync(folder).filter((name) => NAMES.test(name));
  } catch {
    return [];
  }
}

function addProgram(paths: Set<string>, path: string): void {
  try {
    accessSync(path, constants.X_OK);
    paths.add(realpathSync(path));
  } catch {
    // Not a program that can be started.
  }
}

async function askVersion(path: string): Promise<NodeRuntime | undefined> {
  try {
    const { stdout } = await promisify(execFile)(path, ['--version'], { timeout: VERSION_PATIENCE_MS });
    const [, version, major] = /^v((\d+)\.\d+\.\d+)/.exec(stdout) ?? [];
    return version === undefined ? undefined : { path, version, major: Number(major) };
  } catch {
    return undefined;
  }
}
