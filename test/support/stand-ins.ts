/** Stand-ins for tests, run by the built program in processes of their own. */
import { spawn, type ChildProcess } from 'node:child_process';
import { createServer, type AddressInfo } from 'node:net';
import { createInterface } from 'node:readline';
import { environment, folderWith, PROGRAM } from './program';

const running: ChildProcess[] = [];
afterAll(() => running.splice(0).forEach((child) => child.kill('SIGKILL')));

export interface StandIn {
  /** What it says that it is at. */
  readonly at: string;
  /** Requests so far. */
  readonly requests: string[];
  end(): Promise<void>;
}

/** Has a process end with the tests of the file. */
export function ownProcess(child: ChildProcess): ChildProcess {
  running.push(child);
  return child;
}

/** @param words those behind `stand-in` @param pattern whose first group is where it is */
export async function startStandIn(words: readonly string[], pattern: RegExp): Promise<StandIn> {
  const args = [PROGRAM, 'stand-in', ...words, '--port', '0', '--verbose', '--no-color'];
  const child = spawn(process.execPath, args, { env: environment(folderWith({})), stdio: ['ignore', 'pipe', 'pipe'] });
  running.push(child);
  const requests: string[] = [];
  createInterface({ input: child.stderr }).on('line', (line) => requests.push(line));
  const at = await new Promise<string>((resolve, reject) => {
    createInterface({ input: child.stdout }).on('line', (line) => {
      const [, found] = pattern.exec(line) ?? [];
      if (found !== undefined) resolve(found);
    });
    child.once('exit', () => reject(new Error(`the stand-in ended: ${requests.join('\n')}`)));
  });
  return { at, requests, end: () => ended(child) };
}

/** @param destination absolute path of the file that it enforces */
export function standInHost(
  destination: string,
  options: readonly string[] = [],
  folder = folderWith({}),
): Promise<StandIn> {
  return startStandIn(['host', folder, '--destination', destination, ...options], / at (http:\S+:\d+)$/);
}

export function ended(child: ChildProcess): Promise<void> {
  return new Promise((resolve) => {
    child.once('exit', () => resolve());
    child.kill('SIGKILL');
  });
}

export function freePort(): Promise<number> {
  return new Promise((resolve) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const { port } = server.address() as AddressInfo;
      server.close(() => resolve(port));
    });
  });
}
