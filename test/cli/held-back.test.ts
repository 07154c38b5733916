/** What a function that is called cannot do: see other processes, write outside a bounded place, or stay behind. */
import { spawn, spawnSync } from 'node:child_process';
import { chownSync, existsSync, readdirSync, statSync } from 'node:fs';
import { request as httpRequest } from 'node:http';
import { dirname, join } from 'node:path';
import { folderWith, PROGRAM, project, run } from '../support/program';

const CURIOUS = `import * as fs from 'node:fs';
import { spawn } from 'node:child_process';
const attempt = (what) => { try { return what(); } catch (error) { return error.code; } };
const ways = {
  look: () => ({
    processes: fs.readdirSync('/proc').filter((name) => /^\\d+$/.test(name)).length,
    environment: attempt(() => fs.readFileSync('/proc/' + process.ppid + '/environ', 'utf8').includes('hush')),
    rights: /CapEff:\\s+(\\S+)/.exec(fs.readFileSync('/proc/self/status', 'utf8'))[1],
  }),
  write: () => Object.fromEntries(
    ['/etc/x', '/var/tmp/x', new URL('../x', import.meta.url).pathname, './x', '/tmp/x', '/dev/shm/x'].map((path) => [
      path.replace(/^.*emballage-host[^/]*/, 'beside'), attempt(() => fs.writeFileSync(path, 'x') ?? 'written')])),
  fill: () => attempt(() => {
    const piece = Buffer.alloc(16 << 20, 1);
    for (let n = 0; n < 100; n++) fs.appendFileSync('/tmp/big', piece);
    return 'all';
  }),
  stay: () => new Promise((resolve) => {
    const child = spawn('/bin/sleep', ['7531'], { detached: true, stdio: 'ignore' });
    child.once('spawn', () => resolve('started'));
  }),
  breed: () => new Promise((resolve) => {
    const script = 'const all = []; setInterval(() => all.push(Buffer.alloc(8 << 20, 1)), 5)';
    spawn(process.execPath, ['-e', script], { stdio: 'ignore' });
    setTimeout(() => resolve('outlived'), 4000);
  }),
  flood: () => { const piece = 'x'.repeat(1 << 20); for (;;) fs.writeSync(4, piece); },
};
export const sound = (event) => ways[event.data]();
`;

interface Call {
  readonly answer: { readonly kind: string; readonly json?: string; readonly failure?: object };
}

const isRoot = process.getuid?.() === 0;
const NOBODY = 65_534;

/** Whether anybody can start the program where it is. */
function isOpenToAll(path: string): boolean {
  return path === dirname(path) || ((statSync(path).mode & 0o001) !== 0 && isOpenToAll(dirname(path)));
}

function tried(root: string, way: string): Call {
  const events = { env: { TOKEN: 'hush', SECRET_OF_MINE: 'hush' } };
  const { stdout } = run(root, ['try', 'horn', '--json', '--event', `${way}.json`], events);
  return (JSON.parse(stdout) as { calls: [Call] }).calls[0];
}

function answered(root: string, way: string): unknown {
  const { answer } = tried(root, way);
  return answer.json === undefined ? answer : JSON.parse(answer.json);
}

describe('a function that is called', () => {
  let root: string;
  beforeAll(() => {
    const ways = ['look', 'write', 'fill', 'stay', 'breed', 'flood'];
    const events = Object.fromEntries(ways.map((way) => [`${way}.json`, JSON.stringify(way)]));
    root = project({ 'horn.mjs': CURIOUS }, { timeout: '8 s', memory: '128 MiB' }, events);
    expect(run(root, ['build'])).toMatchObject({ status: 0 });
  });

  it('sees no processes but its own, no environment but its own, and has no rights', () => {
    expect(answered(root, 'look')).toEqual({ processes: 2, environment: 'EACCES', rights: '0000000000000000' });
  });

  it('writes where functions may, and nowhere else', () => {
    expect(answered(root, 'write')).toEqual({
      '/etc/x': 'EROFS',
      '/var/tmp/x': 'EROFS',
      'beside/x': 'EROFS',
      './x': 'written',
      '/tmp/x': 'written',
      '/dev/shm/x': 'written',
    });
    expect(existsSync('/tmp/x')).toBe(false);
  });

  it('fills no disk', () => {
    expect(answered(root, 'fill')).toBe('ENOSPC');
  });

  it('ends with all that it started', () => {
    expect(answered(root, 'stay')).toBe('started');
    expect(spawnSync('pgrep', ['-f', 'sleep 7531'], { encoding: 'utf8' }).stdout).toBe('');
  });

  it('is held to its memory with what it started', () => {
    expect(tried(root, 'breed').answer.failure).toEqual({ kind: 'memory', limitBytes: 128 << 20 });
  });

  it('does not fill ours by an answer without an end', () => {
    expect(tried(root, 'flood').answer.failure).toMatchObject({ kind: 'garbled' });
  });

  it('is held back as well where an ordinary user calls it', () => {
    const open = isRoot && isOpenToAll(PROGRAM) && isOpenToAll(process.execPath);
    if (open)
      for (const path of [root, ...readdirSync(root).map((name) => join(root, name))]) chownSync(path, NOBODY, NOBODY);
    const { stdout, stderr } = spawnSync(process.execPath, [PROGRAM, 'try', 'horn', '--json', '--event', 'look.json'], {
      cwd: root,
      encoding: 'utf8',
      env: { ...process.env, TOKEN: 'hush', HOME: root },
      ...(open && { uid: NOBODY, gid: NOBODY }),
    });
    expect(stderr).toBe('');
    const { calls } = JSON.parse(stdout) as { calls: [Call] };
    expect(JSON.parse(calls[0].answer.json ?? '')).toMatchObject({ processes: 2, environment: 'EACCES' });
  });
});

describe('a function that is served', () => {
  it('answers programs of this machine, none for a page of the web, and nobody keeps others waiting', async () => {
    const root = project({ 'horn.mjs': 'export const sound = () => 7;' }, {}, {});
    run(root, ['build']);
    const child = spawn(process.execPath, [PROGRAM, 'try', 'horn', '--serve', '--json'], { cwd: root });
    try {
      const url = await new Promise<string>((resolve) => {
        let said = '';
        child.stdout.on('data', (bytes: Buffer) => {
          const [found] = /http:\/\/127\.0\.0\.1:\d+\//.exec((said += bytes.toString())) ?? [];
          if (found !== undefined) resolve(found);
        });
      });
      const slow = httpRequest(url, { method: 'POST', headers: { 'content-length': '100' } });
      slow.on('error', () => undefined).write('{');
      const ask = (headers: Record<string, string>): Promise<number> =>
        new Promise((resolve, reject) => {
          const asked = httpRequest(url, { method: 'POST', headers }, (response) => {
            response.resume();
            resolve(response.statusCode ?? 0);
          });
          asked.on('error', reject).end('{}');
        });
      const own = new URL(url).host;
      expect([
        await ask({}),
        await ask({ origin: `http://${own}` }),
        await ask({ host: 'gauges.fernhaven.example' }),
        await ask({ origin: 'http://gauges.fernhaven.example' }),
        await ask({ origin: 'null' }),
      ]).toEqual([200, 200, 403, 403, 403]);
      slow.destroy();
    } finally {
      child.kill('SIGTERM');
    }
  });
});

it('what a killed call left behind is removed by the next', () => {
  const temporary = folderWith({});
  const root = project(
    { 'horn.mjs': 'export const sound = () => new Promise(() => 0);' },
    { timeout: '900 s' },
    { 'e.json': '1' },
  );
  run(root, ['build']);
  const killed = `"$0" "$1" try horn --event e.json & sleep 1.5; kill -9 $!; wait`;
  const env = { ...process.env, TMPDIR: temporary };
  spawnSync('sh', ['-c', killed, process.execPath, PROGRAM], { cwd: root, env });
  const left = readdirSync(temporary);
  expect(left.map((name) => name.replace(/-\d.*/, ''))).toEqual(['emballage-host', 'emballage-sent']);
  expect(spawnSync('pgrep', ['-f', left[0] ?? ''], { encoding: 'utf8' }).stdout).toBe('');
  const quick = project({ 'horn.mjs': 'export const sound = () => 1;' }, {}, { 'e.json': '1' });
  run(quick, ['build']);
  expect(run(quick, ['try', 'horn', '--event', 'e.json'], { env: { TMPDIR: temporary } }).status).toBe(0);
  expect(readdirSync(temporary)).toEqual([]);
});
