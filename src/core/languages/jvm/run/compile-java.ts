/** Runs the Java compiler with fixed flags in a clean environment. */
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { runProgram } from '../../../toolchains/run-program';
import { EmballageError, type Problem } from '../../../base/errors';
import { count, printable } from '../../../base/text';
import type { JavaRuntime } from './machines';

export interface CompileRequest {
  readonly java: JavaRuntime;
  readonly release: number;
  /** Absolute paths. */
  readonly sources: readonly string[];
  readonly classPath: readonly string[];
  /** Class names of the annotation processors that may run. */
  readonly processors: readonly string[];
  /** Folder that the classes go to, and one for files that only the run needs. */
  readonly target: string;
  readonly scratch: string;
  /** What messages call a source file. */
  readonly shown: (path: string) => string;
}

const PATIENCE_MS = 10 * 60_000;
const MAX_OUTPUT_BYTES = 16 * 1024 * 1024;
const MAX_PROBLEMS = 50;

/** Flags that the compiler's output depends on. */
export function compilerFlags(release: number, processors: readonly string[]): string[] {
  return [
    '-encoding',
    'UTF-8',
    '-g',
    '-Xlint:none',
    '-implicit:none',
    ...(release >= 9 ? ['--release', String(release)] : ['-source', String(release), '-target', String(release)]),
    ...(processors.length === 0 ? ['-proc:none'] : ['-processor', processors.join(',')]),
  ];
}

/** @throws EmballageError COMPILE_FAILED with every mistake that the compiler tells */
export async function compileJava(request: CompileRequest): Promise<void> {
  const { java, sources, classPath, target, scratch, release, processors } = request;
  const args = join(scratch, 'javac.args');
  const written = join(scratch, 'written');
  mkdirSync(written, { recursive: true });
  const quoted = (text: string): string => `"${text.replace(/[\\"]/g, '\\$&')}"`;
  writeFileSync(
    args,
    [
      ...compilerFlags(release, processors),
      ...(classPath.length > 0 ? ['-classpath', quoted(classPath.join(':'))] : ['-classpath', quoted(scratch)]),
      '-d',
      quoted(target),
      // What processors write is compiled, and is no part of the artifact itself.
      '-s',
      quoted(written),
      ...sources.map(quoted),
    ].join('\n'),
  );
  const { code, stderr } = await runProgram({
    program: java.compiler ?? '',
    args: ['-J-Duser.language=en', '-J-Duser.country=US', '-J-Dfile.encoding=UTF-8', `@${args}`],
    env: { LC_ALL: 'C.UTF-8', HOME: scratch, PATH: '/usr/bin:/bin' },
    cwd: scratch,
    patienceMs: PATIENCE_MS,
    maxBytes: MAX_OUTPUT_BYTES,
  });
  if (code !== 0) throw failed(stderr, request.shown);
}

function failed(log: string, shown: (path: string) => string): EmballageError {
  const problems: Problem[] = [];
  const lines = log.split('\n');
  lines.forEach((line, i) => {
    const [, file, at, message] = /^(.+\.java):(\d+): error: (.*)$/.exec(line) ?? [];
    if (file === undefined || message === undefined) return;
    // The compiler shows the line, and below it a mark under the place.
    const mark = lines.slice(i + 1, i + 6).findIndex((one) => /^\s*\^\s*$/.test(one));
    const column = mark < 0 ? 1 : (lines[i + 1 + mark] ?? '').indexOf('^') + 1;
    const text = mark <= 0 ? '' : `, in \`${printable((lines[i + mark] ?? '').trim())}\``;
    problems.push({
      place: { file: shown(file), line: Number(at), column },
      expected: 'Java that the compiler takes',
      found: `${printable(message)}${text}`,
      mend: 'mend the line',
    });
  });
  const all = problems.slice(0, MAX_PROBLEMS);
  return new EmballageError('COMPILE_FAILED', {
    doing: 'compiling Java',
    found: problems.length === 0 ? 'a compiler that failed' : count(problems.length, 'mistake'),
    mend: all.length === 0 ? 'see what it says below' : 'mend what is listed',
    ...(all.length > 0
      ? { problems: all }
      : {
          details: lines
            .filter((line) => line !== '')
            .slice(-12)
            .map(printable),
        }),
  });
}
