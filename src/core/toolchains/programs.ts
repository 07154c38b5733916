/** Looks for programs by name and asks them for their version. */
import { accessSync, constants, readdirSync, realpathSync } from 'node:fs';
import { join } from 'node:path';
import { runProgram } from './run-program';

const PATIENCE_MS = 10_000;
const MAX_ANSWER_BYTES = 1024 * 1024;

/** A home for programs that are only asked something: nobody can make a folder in it, not even root. */
export const NO_HOME = '/dev/null';

/** Programs on a search path whose names match, each once, in the order of the path. */
export function programsNamed(pattern: RegExp, searchPath: string): string[] {
  return [...programsWithNames(pattern, searchPath).keys()];
}

/** The same, with the path by which each was found: some programs ask by what name they were called. */
export function programsWithNames(pattern: RegExp, searchPath: string): Map<string, string> {
  const paths = new Map<string, string>();
  for (const folder of searchPath.split(':').filter((f) => f !== ''))
    for (const name of namesIn(folder, pattern)) {
      const path = startable(join(folder, name));
      if (path !== undefined && !paths.has(path)) paths.set(path, join(folder, name));
    }
  return paths;
}

/** What a program prints; undefined when it cannot be started, fails or takes too long. */
export async function askProgram(
  path: string,
  args: readonly string[],
  env?: Readonly<Record<string, string>>,
): Promise<string | undefined> {
  try {
    const end = await runProgram({
      program: path,
      args,
      patienceMs: PATIENCE_MS,
      maxBytes: MAX_ANSWER_BYTES,
      ...(env !== undefined && { env }),
    });
    return end.code === 0 ? end.stdout : undefined;
  } catch {
    return undefined;
  }
}

function namesIn(folder: string, pattern: RegExp): string[] {
  try {
    return readdirSync(folder).filter((name) => pattern.test(name));
  } catch {
    return [];
  }
}

function startable(path: string): string | undefined {
  try {
    accessSync(path, constants.X_OK);
    return realpathSync(path);
  } catch {
    return undefined;
  }
}
