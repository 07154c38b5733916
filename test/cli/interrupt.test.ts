/** Commands that are ended from outside: at once, with nothing half-made and nothing left that runs. */
import { spawn } from 'node:child_process';
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { INTAKE, pythonProject } from '../support';
import { itWith } from '../support/needs';
import { nativeProject } from '../support/native';
import { environment, folderWith, pathTo, PROGRAM, run } from '../support/program';

interface Ended {
  readonly code: number | null;
  readonly stderr: string;
}

/** Starts a command, sends a signal when it is where it is wanted, and waits for its end. */
async function interrupted(
  root: string,
  args: readonly string[],
  signal: 'SIGINT' | 'SIGTERM',
  isThere: () => boolean,
  env: Readonly<Record<string, string>> = {},
): Promise<Ended> {
  const child = spawn(process.execPath, [PROGRAM, ...args], {
    cwd: root,
    env: { ...environment(root), ...env },
    stdio: ['ignore', 'ignore', 'pipe'],
  });
  let stderr = '';
  child.stderr.on('data', (bytes: Buffer) => (stderr += bytes.toString()));
  const end = new Promise<number | null>((resolve) => child.once('close', resolve));
  while (!isThere() && child.exitCode === null) await new Promise((resolve) => setTimeout(resolve, 20));
  child.kill(signal);
  return { code: await end, stderr };
}

/** A compiler that never ends, and starts another program that does not either. */
function slowCompiler(marks: string): string {
  const folder = folderWith({});
  const compiler = join(folder, 'gcc');
  const real = join(pathTo('gcc'), 'gcc');
  writeFileSync(
    compiler,
    `#!/bin/sh\ncase " $* " in *" -o "*) sleep 600 & echo "$$ $!" > ${marks}.new; mv ${marks}.new ${marks}; wait;; *) exec ${real} "$@";; esac\n`,
    { mode: 0o755 },
  );
  return `${folder}:${pathTo('node', 'sh', 'sleep', 'mv')}`;
}

const isRunning = (pid: string): boolean => {
  try {
    return !/^State:\s+Z/m.test(readFileSync(`/proc/${pid}/status`, 'utf8'));
  } catch {
    return false;
  }
};

describe('an interrupt', () => {
  itWith('gcc').each([
    ['build', 'SIGINT', 130],
    ['build', 'SIGTERM', 143],
  ] as const)('ends %s by %s while a compiler runs, and the compiler with it', async (command, signal, code) => {
    const root = nativeProject({ 'main.c': 'int main(void) { return 0; }\n' }, { runtime: 'c', entry: 'main.c' });
    const marks = join(folderWith({}), 'pids');
    const ended = await interrupted(root, [command], signal, () => existsSync(marks), { PATH: slowCompiler(marks) });
    expect([ended.code, ended.stderr]).toEqual([code, '']);
    expect(existsSync(join(root, 'out'))).toBe(false);
    await new Promise((resolve) => setTimeout(resolve, 200));
    expect(readFileSync(marks, 'utf8').trim().split(' ').filter(isRunning)).toEqual([]);
    // What it left is no hindrance.
    expect(run(root, [command])).toMatchObject({ status: 0 });
  });

  it('ends lock while a server is silent', async () => {
    let asked = false;
    const server = createServer(() => (asked = true));
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    const index = `http://127.0.0.1:${String((server.address() as AddressInfo).port)}/simple`;
    const root = pythonProject({ 'intake.py': INTAKE }, { needs: ['levels'], sources: [{ index }] });
    const ended = await interrupted(root, ['lock'], 'SIGINT', () => asked);
    expect([ended.code, ended.stderr, readdirSync(root).includes('emballage.lock')]).toEqual([130, '', false]);
    server.closeAllConnections();
    server.close();
  });

  itWith('gcc')('ends prove while it builds again, and what it had started', async () => {
    const root = nativeProject({ 'main.c': 'int main(void) { return 0; }\n' }, { runtime: 'c', entry: 'main.c' });
    expect(run(root, ['build'])).toMatchObject({ status: 0 });
    const marks = join(folderWith({}), 'pids');
    const ended = await interrupted(root, ['prove'], 'SIGTERM', () => existsSync(marks), { PATH: slowCompiler(marks) });
    expect([ended.code, ended.stderr]).toEqual([143, '']);
    await new Promise((resolve) => setTimeout(resolve, 1_000));
    expect(readFileSync(marks, 'utf8').trim().split(' ').filter(isRunning)).toEqual([]);
  });
});
