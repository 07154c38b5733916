/** What is known of the machine that builds. Nothing in an artifact may depend on it; tools that run here do. */
import type { Arch } from '../sheet';
import type { MavenSurroundings, NpmSurroundings } from '../sources';
import type { JavaRuntime } from './java';
import type { PythonRuntime } from './python';

export interface Machine {
  readonly arch: Arch;
  /** Version of its GNU C library; undefined where it has another. */
  readonly glibc?: string;
  /** What is configured here for registries of npm packages. */
  readonly npm: NpmSurroundings;
  /** What is configured here for Maven repositories. */
  readonly maven: MavenSurroundings;
  /** The PATH. */
  readonly searchPath: string;
  /** The Python interpreters on it. */
  pythons(): Promise<readonly PythonRuntime[]>;
  /** The Java machines here. */
  javas(): Promise<readonly JavaRuntime[]>;
}
