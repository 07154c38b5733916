/** A web server with its DAV module, as others run it, for files that are put by HTTP. */
import { spawn, spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { folderWith } from './program';
import { freePort, ownProcess } from './stand-ins';

const SERVER = ['/usr/sbin/apache2', '/usr/bin/apache2'].find((path) => existsSync(path)) ?? '';
const MODULES = '/usr/lib/apache2/modules';
export const hasDav = SERVER !== '' && existsSync(join(MODULES, 'mod_dav_fs.so'));
/** A test that needs the server; named and left out where it is not here. */
export const itWithDav = hasDav ? it : it.skip;

const WANTED = ['mpm_event', 'authn_core', 'authn_file', 'authz_core', 'authz_user', 'auth_basic', 'dav', 'dav_fs'];

/** @param login `NAME:PASSWORD` that it wants */
export async function davServer(login?: string): Promise<{ readonly url: string; readonly folder: string }> {
  const port = await freePort();
  const [name = '', password = ''] = (login ?? '').split(':');
  const hashed =
    login === undefined ? '' : spawnSync('htpasswd', ['-Bbn', name, password], { encoding: 'utf8' }).stdout;
  const root = folderWith({ 'files/.keep': '', 'locks/.keep': '', logins: hashed });
  const guard =
    login === undefined
      ? 'Require all granted'
      : `AuthType Basic\nAuthName harbour\nAuthUserFile ${root}/logins\nRequire valid-user`;
  // It does not run as root: whoever it is then may write there.
  spawnSync('chmod', ['-R', '777', root]);
  const settings = [
    ...WANTED.map((one) => `LoadModule ${one}_module ${MODULES}/mod_${one}.so`),
    `ServerName 127.0.0.1`,
    `Listen 127.0.0.1:${String(port)}`,
    `ServerRoot ${root}`,
    `PidFile ${root}/pid`,
    `ErrorLog ${root}/errors`,
    ...(process.getuid?.() === 0 ? ['User nobody', 'Group nogroup'] : []),
    `DocumentRoot ${root}/files`,
    `DavLockDB ${root}/locks/db`,
    `<Directory ${root}/files>\nDav On\n${guard}\n</Directory>`,
    '',
  ].join('\n');
  const file = join(folderWith({ 'server.conf': settings }), 'server.conf');
  spawnSync('chmod', ['711', root]);
  ownProcess(spawn(SERVER, ['-X', '-f', file], { stdio: 'ignore' }));
  const url = `http://127.0.0.1:${String(port)}`;
  for (let i = 0; i < 100; i++) {
    if ((await fetch(url).catch(() => undefined)) !== undefined) return { url, folder: join(root, 'files') };
    await sleep(50);
  }
  throw new Error('the web server does not answer');
}
