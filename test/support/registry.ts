/** Registries for tests: the stand-in, run by the built program, and the registry server that others run. */
import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { createServer } from 'node:net';
import type { AddressInfo } from 'node:net';
import { createInterface } from 'node:readline';
import { setTimeout as sleep } from 'node:timers/promises';
import { join } from 'node:path';
import { environment, folderWith, PROGRAM } from './program';

const running: ChildProcess[] = [];
afterAll(() => running.splice(0).forEach((child) => child.kill('SIGKILL')));

export interface TestRegistry {
  readonly host: string;
  /** Requests so far. */
  readonly requests: string[];
  end(): Promise<void>;
}

/** @param folder that it keeps images in */
export async function standInRegistry(folder: string, options: readonly string[] = []): Promise<TestRegistry> {
  const args = [PROGRAM, 'stand-in', 'registry', folder, '--port', '0', '--verbose', '--no-color', ...options];
  const child = spawn(process.execPath, args, { env: environment(folder), stdio: ['ignore', 'pipe', 'pipe'] });
  running.push(child);
  const requests: string[] = [];
  createInterface({ input: child.stderr }).on('line', (line) => requests.push(line));
  const host = await new Promise<string>((resolve, reject) => {
    createInterface({ input: child.stdout }).on('line', (line) => {
      const [, found] = / at (\S+:\d+)$/.exec(line) ?? [];
      if (found !== undefined) resolve(found);
    });
    child.once('exit', () => reject(new Error(`the registry ended: ${requests.join('\n')}`)));
  });
  return { host, requests, end: () => ended(child) };
}

const SERVER = 'docker-registry';
export const hasServer = spawnSync(SERVER, ['--version']).error === undefined;
/** A test that needs the server; named and left out where it is not here. */
export const itWithServer = hasServer ? it : it.skip;

/** @param login `NAME:PASSWORD` that it wants */
export async function realRegistry(login?: string, folder = folderWith({}), port?: number): Promise<TestRegistry> {
  const own = port ?? (await freePort());
  const [name = '', password = ''] = (login ?? '').split(':');
  const hashed =
    login === undefined ? '' : spawnSync('htpasswd', ['-Bbn', name, password], { encoding: 'utf8' }).stdout;
  const settings = folderWith({
    logins: hashed,
    'config.yml': JSON.stringify({
      version: 0.1,
      log: { level: 'error' },
      storage: { filesystem: { rootdirectory: folder }, delete: { enabled: true } },
      http: { addr: `127.0.0.1:${String(own)}` },
    }),
  });
  const env = {
    ...process.env,
    ...(login !== undefined && {
      REGISTRY_AUTH: 'htpasswd',
      REGISTRY_AUTH_HTPASSWD_REALM: 'harbour',
      REGISTRY_AUTH_HTPASSWD_PATH: join(settings, 'logins'),
    }),
  };
  const child = spawn(SERVER, ['serve', join(settings, 'config.yml')], { stdio: 'ignore', env });
  running.push(child);
  const host = `127.0.0.1:${String(own)}`;
  for (let i = 0; i < 100; i++) {
    const answer = await fetch(`http://${host}/v2/`).catch(() => undefined);
    if (answer !== undefined) return { host, requests: [], end: () => ended(child) };
    await sleep(50);
  }
  throw new Error('the registry server does not answer');
}

function ended(child: ChildProcess): Promise<void> {
  return new Promise((resolve) => {
    child.once('exit', () => resolve());
    child.kill('SIGKILL');
  });
}

function freePort(): Promise<number> {
  return new Promise((resolve) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const { port } = server.address() as AddressInfo;
      server.close(() => resolve(port));
    });
  });
}
