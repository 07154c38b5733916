/** Registries for tests: the stand-in, run by the built program, and the registry server that others run. */
import { spawn, spawnSync } from 'node:child_process';
import { setTimeout as sleep } from 'node:timers/promises';
import { join } from 'node:path';
import { itNeeds, programNeed } from './needs';
import { folderWith } from './program';
import { ended, freePort, ownProcess, startStandIn } from './stand-ins';

export interface TestRegistry {
  readonly host: string;
  /** Requests so far. */
  readonly requests: string[];
  end(): Promise<void>;
}

/** @param folder that it keeps images in */
export async function standInRegistry(folder: string, options: readonly string[] = []): Promise<TestRegistry> {
  const standIn = await startStandIn(['registry', folder, ...options], / at (\S+:\d+)$/);
  return { host: standIn.at, requests: standIn.requests, end: () => standIn.end() };
}

const SERVER = 'docker-registry';
/** A test that needs the server that others run. */
export const serverNeed = programNeed(SERVER);
export const itWithServer = itNeeds(serverNeed);

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
  const child = ownProcess(spawn(SERVER, ['serve', join(settings, 'config.yml')], { stdio: 'ignore', env }));
  const host = `127.0.0.1:${String(own)}`;
  for (let i = 0; i < 100; i++) {
    const answer = await fetch(`http://${host}/v2/`).catch(() => undefined);
    if (answer !== undefined) return { host, requests: [], end: () => ended(child) };
    await sleep(50);
  }
  throw new Error('the registry server does not answer');
}
