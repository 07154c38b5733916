/** What is known of the machine that builds. Nothing in an artifact may depend on it; tools that run here do. */
import type { Arch } from '../sheet';
import type { MavenSurroundings, NpmSurroundings } from '../sources';
import type { CCompiler } from '../languages/compiled/c-compilers';
import type { GoToolchain } from '../languages/go/toolchain';
import type { JavaRuntime } from '../languages/jvm/run/machines';
import type { NodeRuntime } from '../languages/node/run/runtimes';
import type { PythonRuntime } from '../languages/python/run/interpreters';
import type { RustToolchain } from '../languages/rust/toolchain';

/** The compilers of native code here. */
export interface NativeToolchains {
  readonly rust: readonly RustToolchain[];
  readonly go: readonly GoToolchain[];
  readonly c: readonly CCompiler[];
}

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
  nodes(): Promise<readonly NodeRuntime[]>;
  /** The Python interpreters on it. */
  pythons(): Promise<readonly PythonRuntime[]>;
  /** The Java machines here. */
  javas(): Promise<readonly JavaRuntime[]>;
  natives(): Promise<NativeToolchains>;
  /** Folder of the cache of Go’s compiler, which goes by content; undefined where the user has none. Absolute path. */
  readonly goCache?: string;
}
