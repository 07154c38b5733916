/** A web server with its DAV module, as others run it: for tests and benchmarks of files that are put by HTTP. */
const { spawn, spawnSync } = require('node:child_process');
const { existsSync, mkdirSync, writeFileSync } = require('node:fs');
const { join } = require('node:path');

const SERVER = ['/usr/sbin/apache2', '/usr/bin/apache2'].find((path) => existsSync(path));
const MODULES = '/usr/lib/apache2/modules';
const WANTED = ['mpm_event', 'authn_core', 'authn_file', 'authz_core', 'authz_user', 'auth_basic', 'dav', 'dav_fs'];

exports.hasDav = SERVER !== undefined && existsSync(join(MODULES, 'mod_dav_fs.so'));

/** Starts it in a folder; what is put lies in `files` there. */
exports.startDav = ({ root, port, login }) => {
  for (const name of ['files', 'locks']) mkdirSync(join(root, name), { recursive: true });
  const [name = '', password = ''] = (login ?? '').split(':');
  if (login !== undefined) writeFileSync(join(root, 'logins'), spawnSync('htpasswd', ['-Bbn', name, password]).stdout);
  const guard =
    login === undefined
      ? 'Require all granted'
      : `AuthType Basic\nAuthName harbour\nAuthUserFile ${root}/logins\nRequire valid-user`;
  const settings = [
    ...WANTED.map((one) => `LoadModule ${one}_module ${MODULES}/mod_${one}.so`),
    `ServerName 127.0.0.1\nListen 127.0.0.1:${port}\nServerRoot ${root}\nPidFile ${root}/pid\nErrorLog ${root}/errors`,
    ...(process.getuid?.() === 0 ? ['User nobody', 'Group nogroup'] : []),
    `DocumentRoot ${root}/files\nDavLockDB ${root}/locks/db`,
    `<Directory ${root}/files>\nDav On\n${guard}\n</Directory>\n`,
  ].join('\n');
  writeFileSync(join(root, 'server.conf'), settings);
  // It does not run as root: whoever it is then may write there, and come by.
  spawnSync('chmod', ['-R', '777', join(root, 'files'), join(root, 'locks')]);
  spawnSync('chmod', ['711', root]);
  return spawn(SERVER, ['-X', '-f', join(root, 'server.conf')], { stdio: 'ignore' });
};
