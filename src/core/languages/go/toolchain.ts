/** Finds the Go toolchains here. Each compiles for every processor. */
import { askProgram, programsNamed } from '../../toolchains/programs';

export interface GoToolchain {
  /** `1.24.1`. */
  readonly version: string;
  /** Absolute path. */
  readonly path: string;
}

/** @param searchPath the PATH to look through */
export async function findGo(searchPath: string): Promise<GoToolchain[]> {
  const found = await Promise.all(programsNamed(/^go$/, searchPath).map(look));
  return found.flatMap((one) => one ?? []);
}

async function look(path: string): Promise<GoToolchain | undefined> {
  // Neither a file of the folder that we run in nor the user’s settings may choose another one.
  const answer = await askProgram(path, ['version'], { GOTOOLCHAIN: 'local', GOENV: 'off', HOME: '/nonexistent' });
  const [, version] = /^go version go(\d+\.\d+(?:\.\d+)?)/.exec(answer ?? '') ?? [];
  return version === undefined ? undefined : { path, version: /^\d+\.\d+$/.test(version) ? `${version}.0` : version };
}
