// Builds that many machines share, for run.mjs: one worker alone, two with a store, one that finds everything; how it grows.
import { spawn, spawnSync } from 'node:child_process';
import { cpSync, mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { join } from 'node:path';

const { writeMany } = createRequire(import.meta.url)('../test/support/many-functions.js');
const PORT = 8471;

export async function measureSharing({ base, program, env, rows, verdict, ms }) {
  const folder = join(base, 'registry');
  mkdirSync(folder);
  const settings = join(base, 'registry.yml');
  const about = { version: 0.1, log: { level: 'error' }, storage: { filesystem: { rootdirectory: folder } } };
  writeFileSync(settings, JSON.stringify({ ...about, http: { addr: `127.0.0.1:${PORT}` } }));
  if (spawnSync('docker-registry', ['--version']).error !== undefined) {
    rows.push(['a shared store', 'no registry server here', '', '', '', '']);
    return;
  }
  const server = spawn('docker-registry', ['serve', settings], { stdio: 'ignore' });
  try {
    await answers();
    const row = (what, value, other, most) =>
      rows.push([what, ms(value), ms(other), (value / other).toFixed(3), String(most), verdict(value / other, most)]);
    const cold = {};
    for (const count of [50, 200, 800]) {
      const root = join(base, `many-${count}`);
      writeMany(root, count);
      cold[count] = await workers(root, [[]], { EMBALLAGE_STORE: 'none' });
      if (count !== 200) continue;
      const store = { EMBALLAGE_STORE: `127.0.0.1:${PORT}/bench`, EMBALLAGE_STORE_WRITE: '1' };
      const two = await workers(
        root,
        [
          ['--part', '1/2'],
          ['--part', '2/2'],
        ],
        store,
      );
      row('200 functions, two workers, against one', two, cold[200], 0.6);
      const third = await workers(root, [[]], store);
      row('200 functions, all found, against one cold', third, cold[200], 0.05);
    }
    row('200 functions cold, a function, against 50', cold[200] / 200, cold[50] / 50, 1.2);
    row('800 functions cold, a function, against 200', cold[800] / 800, cold[200] / 200, 1.2);
  } finally {
    server.kill('SIGKILL');
  }

  /** Milliseconds until all workers have ended, each in a folder and with caches of its own; a new one each time. */
  async function workers(root, shares, more) {
    const began = [];
    const places = shares.map((_, i) => {
      const own = join(base, `worker-${i}`);
      rmSync(own, { recursive: true, force: true });
      cpSync(root, join(own, 'project'), { recursive: true });
      return own;
    });
    const start = performance.now();
    for (const [i, own] of places.entries()) {
      const all = {
        ...env(),
        ...more,
        HOME: own,
        XDG_CACHE_HOME: join(own, 'caches'),
        GOCACHE: join(base, 'go-cache'),
      };
      const child = spawn(process.execPath, [program, 'build', '--quiet', ...shares[i]], {
        cwd: join(own, 'project'),
        env: all,
        stdio: ['ignore', 'ignore', 'inherit'],
      });
      began.push(
        new Promise((resolve, reject) =>
          child.once('exit', (code) => (code === 0 ? resolve() : reject(new Error(`exit ${code}`)))),
        ),
      );
    }
    await Promise.all(began);
    return performance.now() - start;
  }
}

async function answers() {
  for (let i = 0; i < 100; i++) {
    if ((await fetch(`http://127.0.0.1:${PORT}/v2/`).catch(() => undefined)) !== undefined) return;
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
  throw new Error('the registry server does not answer');
}
