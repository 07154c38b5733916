// Deliveries, for run.mjs: an unchanged project asks little; a large archive is put in about the time of a plain upload.
import { spawn, spawnSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';

const { hasDav, startDav } = createRequire(import.meta.url)('../test/support/dav-server.js');
const HOST_PORT = 8473;
const DAV_PORT = 8474;

export async function measureDelivering({ base, program, env, rows, verdict, byTurns, time, report }) {
  await unchanged({ base, program, env, rows, verdict });
  if (!hasDav) {
    rows.push(['a large archive by PUT', 'no web server here', '', '', '', '']);
    return;
  }
  await largePut({ base, program, env, byTurns, time, report });
}

function writeProject(root, { count, deliver, bytes }) {
  const functions = {};
  for (let i = 0; i < count; i++) {
    const name = `f${i}`;
    mkdirSync(join(root, 'functions', name), { recursive: true });
    writeFileSync(join(root, 'functions', name, 'a.mjs'), `export const run = () => ${i};\n`);
    if (bytes > 0) writeFileSync(join(root, 'functions', name, 'noise.bin'), randomBytes(bytes));
    functions[name] = { source: `functions/${name}`, runtime: 'node 20', entry: 'a.mjs#run', artifact: 'zip' };
  }
  const sheet = { project: 'bench', destinations: { jetty: 'jetty.yaml' }, functions };
  sheet.defaults = { destination: 'jetty', arch: ['x86_64'] };
  writeFileSync(join(root, 'emballage.yaml'), JSON.stringify(sheet));
  const jetty = { destination: 'jetty', arch: ['x86_64'], accepts: { zip: {} }, runtimes: { 'node 20': {} }, deliver };
  writeFileSync(join(root, 'jetty.yaml'), JSON.stringify(jetty));
}

async function unchanged({ base, program, env, rows, verdict }) {
  const root = join(base, 'thirty');
  const kept = join(base, 'thirty-host');
  mkdirSync(kept, { recursive: true });
  writeProject(root, { count: 30, deliver: { host: `http://127.0.0.1:${HOST_PORT}` }, bytes: 0 });
  const run = (...args) => spawnSync(process.execPath, [program, ...args], { cwd: root, env: env(), encoding: 'utf8' });
  const args = ['stand-in', 'host', kept, '--destination', 'jetty.yaml', '--port', String(HOST_PORT), '--verbose'];
  const host = spawn(process.execPath, [program, ...args], {
    cwd: root,
    env: env(),
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  let requests = [];
  host.stderr.on('data', (bytes) => requests.push(...bytes.toString().trim().split('\n')));
  await new Promise((resolve) => host.stdout.once('data', resolve));
  try {
    for (const args of [['build'], ['send']]) if (run(...args).status !== 0) throw new Error(`${args} failed`);
    await sleep(500);
    requests = [];
    if (run('send').status !== 0) throw new Error('sending again failed');
    await sleep(500);
    const most = requests.length / 30;
    rows.push(['30 functions unchanged, requests a function', String(most), '', '', '2', verdict(most, 2)]);
    const bodies = requests.filter((line) => /^(?:PUT|POST|PATCH)/.test(line)).length;
    rows.push(['30 functions unchanged, requests with a body', String(bodies), '', '', '0', verdict(bodies, 0)]);
  } finally {
    host.kill();
  }
}

async function largePut({ base, program, env, byTurns, time, report }) {
  const root = join(base, 'large');
  const web = join(base, 'web');
  mkdirSync(web);
  spawnSync('chmod', ['711', base]);
  const server = startDav({ root: web, port: DAV_PORT });
  try {
    await sleep(1000);
    const url = `http://127.0.0.1:${DAV_PORT}`;
    writeProject(root, { count: 1, deliver: { put: `${url}/{function}/{sha256}{ending}` }, bytes: 200 * 1024 ** 2 });
    if (spawnSync(process.execPath, [program, 'build'], { cwd: root, env: env() }).status !== 0)
      throw new Error('building failed');
    const archive = join(root, 'out/f0/x86_64/f0.zip');
    const [ours, other] = byTurns(5, [
      () => {
        rmSync(join(web, 'files/f0'), { recursive: true, force: true });
        rmSync(join(root, 'emballage.ledger'), { force: true });
        return time(root, process.execPath, [program, 'send', '--quiet']);
      },
      () => {
        rmSync(join(web, 'files/plain.zip'), { force: true });
        return time(root, 'curl', ['-sS', '-f', '-T', archive, `${url}/plain.zip`]);
      },
    ]);
    if (readFileSync(join(root, 'emballage.ledger'), 'utf8').includes('f0') === false) throw new Error('not sent');
    report('200 MB archive by PUT, checked and read back, against curl -T', ours, other, 1.3);
  } finally {
    server.kill('SIGKILL');
  }
}
