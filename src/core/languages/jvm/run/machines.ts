/** Finds the Java machines and compilers here. */
import { accessSync, constants, existsSync, readdirSync, readFileSync, realpathSync } from 'node:fs';
import { dirname, join } from 'node:path';
import type { Machine } from '../../../toolchains/machine';
import { programsNamed } from '../../../toolchains/programs';

export interface JavaRuntime {
  /** Absolute path of its folder. */
  readonly home: string;
  /** Absolute path of the program. */
  readonly path: string;
  /** `17.0.15`. */
  readonly version: string;
  readonly major: number;
  /** Absolute path of the compiler, where it has one. */
  readonly compiler?: string;
  /** Absolute path of the file that lists its classes for each release, where it has one. */
  readonly signatures?: string;
}

/**
 * @param searchPath the PATH to look through
 * @param homes further folders, that of JAVA_HOME say
 */
export function findJavaRuntimes(searchPath: string, homes: readonly string[]): JavaRuntime[] {
  const folders = [...homes, ...programsNamed(/^java$/, searchPath).map((path) => dirname(dirname(path)))];
  const found = new Map<string, JavaRuntime>();
  for (const home of folders) {
    const runtime = found.has(home) ? undefined : look(home);
    if (runtime !== undefined) found.set(home, runtime);
  }
  return [...found.values()].sort((a, b) => b.major - a.major || (a.home < b.home ? -1 : 1));
}

/** The Java machines on the PATH, that of JAVA_HOME, and those that the system installed; looked for once. */
export function javasOf(machine: Machine): Promise<JavaRuntime[]> {
  return machine.once('java', () => {
    const own = machine.variable('JAVA_HOME');
    return Promise.resolve(
      findJavaRuntimes(machine.searchPath, [...(own === undefined ? [] : [own]), ...installedHomes()]),
    );
  });
}

const INSTALLED = '/usr/lib/jvm';

/** Folders of the Java machines that the system's packages installed. */
function installedHomes(): string[] {
  try {
    return readdirSync(INSTALLED).map((name) => realpathSync(join(INSTALLED, name)));
  } catch {
    return [];
  }
}

/** The oldest that runs classes for a Java version: the nearest to it. */
export function chooseJava(runtimes: readonly JavaRuntime[], wanted: number): JavaRuntime | undefined {
  return runtimes.findLast(({ major }) => major >= wanted);
}

/** The compiler that can write classes for a Java version: the nearest to it. */
export function chooseCompiler(runtimes: readonly JavaRuntime[], wanted: number): JavaRuntime | undefined {
  return chooseJava(
    runtimes.filter(({ compiler }) => compiler !== undefined),
    wanted,
  );
}

/** A folder with a `release` file says there which version it has. */
function look(home: string): JavaRuntime | undefined {
  const path = join(home, 'bin/java');
  try {
    accessSync(path, constants.X_OK);
    const [, version = ''] = /^JAVA_VERSION="([^"]+)"/m.exec(readFileSync(join(home, 'release'), 'utf8')) ?? [];
    const major = Number(/^(?:1\.)?(\d+)/.exec(version)?.[1]);
    if (!Number.isInteger(major)) return undefined;
    const [compiler, signatures] = [join(home, 'bin/javac'), join(home, 'lib/ct.sym')];
    return {
      home,
      path,
      version,
      major,
      ...(existsSync(compiler) && { compiler }),
      ...(existsSync(signatures) && { signatures }),
    };
  } catch {
    return undefined;
  }
}
