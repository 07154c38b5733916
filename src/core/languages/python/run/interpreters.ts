/** Finds the Python interpreters on this machine. */
import type { Machine } from '../../../toolchains/machine';
import { askProgram, programsNamed } from '../../../toolchains/programs';

export interface PythonRuntime {
  /** Absolute path of the interpreter itself, not of something that starts it. */
  readonly path: string;
  /** `3.11.7`. */
  readonly version: string;
  /** `3.11`. */
  readonly minor: string;
}

const NAMES = /^python3(?:\.\d+)?$/;
const QUESTION = 'import sys; print(sys.implementation.name, "%d.%d.%d" % sys.version_info[:3], sys.executable)';

/** @param searchPath the PATH to look through */
export async function findPythonRuntimes(searchPath: string): Promise<PythonRuntime[]> {
  const answers = await Promise.all(
    programsNamed(NAMES, searchPath).map((path) => askProgram(path, ['-I', '-c', QUESTION])),
  );
  const found = new Map<string, PythonRuntime>();
  for (const answer of answers) {
    const [, version, minor, path] = /^cpython ((\d+\.\d+)\.\d+) (\/.+)$/m.exec(answer ?? '') ?? [];
    if (version !== undefined && minor !== undefined && path !== undefined) found.set(path, { path, version, minor });
  }
  const order = (minor: string): number => Number(minor.split('.')[1]);
  return [...found.values()].sort((a, b) => order(b.minor) - order(a.minor));
}

/** The interpreters here, looked for once. */
export function interpretersOf(machine: Machine): Promise<PythonRuntime[]> {
  return machine.once('python', () => findPythonRuntimes(machine.searchPath));
}

/** How to get a version that is missing. */
export function pythonMend(version: string): string {
  return `install Python ${version} (package python${version} where the system has it) so that \`python${version}\` is on the PATH`;
}

/** The interpreter of a minor version, the first on the path. */
export function choosePython(runtimes: readonly PythonRuntime[], minor: string): PythonRuntime | undefined {
  return runtimes.find((runtime) => runtime.minor === minor);
}
