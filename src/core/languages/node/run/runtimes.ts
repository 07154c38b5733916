/** Finds the Node.js programs on this machine. */
import { realpathSync } from 'node:fs';
import { askProgram, programsNamed } from '../../../toolchains/programs';

export interface NodeRuntime {
  /** Absolute path. */
  readonly path: string;
  /** `20.20.2`. */
  readonly version: string;
  readonly major: number;
}

const NAMES = /^(?:node|nodejs|node-?\d+)$/;

/**
 * @param own the program that runs us, with its version
 * @param searchPath the PATH to look through
 */
export async function findNodeRuntimes(own: NodeRuntime, searchPath: string): Promise<NodeRuntime[]> {
  const paths = programsNamed(NAMES, searchPath).filter((path) => path !== realpathSync(own.path));
  const others = await Promise.all(paths.map(askVersion));
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

async function askVersion(path: string): Promise<NodeRuntime | undefined> {
  const [, version, major] = /^v((\d+)\.\d+\.\d+)/.exec((await askProgram(path, ['--version'])) ?? '') ?? [];
  return version === undefined ? undefined : { path, version, major: Number(major) };
}
