// Node.js: the plain installation is that of npm.
import { spawnSync } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';

const CALL = `const loaded = await import('./main.' + process.argv[1]);
const handler = loaded.handler ?? loaded.default.handler;
const answer = await handler({ data: {} }, { name: 'f', run: 'r', deadline: '', memory: 0 });
process.stdout.write('\\n@@' + JSON.stringify(answer ?? null) + '\\n', () => process.exit(0));`;

function write(folder, one) {
  const files = {
    [`main.${one.type ?? 'mjs'}`]: one.code,
    'package.json': JSON.stringify({
      name: 'f',
      version: '1.0.0',
      private: true,
      dependencies: Object.fromEntries(one.needs.map(split)),
    }),
    ...one.files,
  };
  for (const [path, text] of Object.entries(files)) {
    mkdirSync(dirname(join(folder, path)), { recursive: true });
    writeFileSync(join(folder, path), text);
  }
}

function split(need) {
  const at = need.lastIndexOf('@');
  return at <= 0 ? [need, '*'] : [need.slice(0, at), need.slice(at + 1)];
}

function npm(folder, ...args) {
  const env = {
    ...process.env,
    npm_config_audit: 'false',
    npm_config_fund: 'false',
    npm_config_update_notifier: 'false',
  };
  const { status, stderr } = spawnSync('npm', [...args, '--ignore-scripts', '--silent'], {
    cwd: folder,
    encoding: 'utf8',
    env,
  });
  if (status !== 0) throw new Error(`npm: ${stderr}`);
}

export const node = {
  forms: [
    { trim: 'safe' },
    { trim: 'traced' },
    { trim: 'safe', link: true },
    { trim: 'safe', link: true, minify: true },
  ],
  spec: ({ type = 'mjs' }) => ({ runtime: 'node 20', entry: `main.${type}#handler` }),
  source(one, folder) {
    write(folder, one);
    npm(folder, 'install', '--package-lock-only');
  },
  settled: (answer) => JSON.stringify(answer),
  plain(one, folder) {
    write(folder, one);
    npm(folder, 'install');
    const env = {
      PATH: process.env.PATH,
      HOME: folder,
      ...Object.fromEntries(Object.entries(one.settings ?? {}).map(([k, v]) => [k, v.sample])),
    };
    const { stdout, stderr } = spawnSync('node', ['--input-type=module', '-e', CALL, one.type ?? 'mjs'], {
      cwd: folder,
      encoding: 'utf8',
      env,
    });
    const at = stdout.lastIndexOf('\n@@');
    return at < 0
      ? { error: stderr.slice(-1500) }
      : { answer: JSON.stringify(JSON.parse(stdout.slice(at + 3).split('\n')[0])) };
  },
};
