/** The disk is full, read-only or gone, files change while they are read, the clock is wrong: nothing half there, and said. */
import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, utimesSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { imageProject } from '../support/images';
import { folderWith, forget, HORN, PROGRAM, project, put, run, type Outcome } from '../support/program';

const HOOK = join(__dirname, '../support/faulty-disk.js');

/** All that lies below a folder, and what it holds. */
function holds(folder: string): Record<string, string> {
  if (!existsSync(folder)) return {};
  const files = readdirSync(folder, { recursive: true, withFileTypes: true }).filter((one) => one.isFile());
  return Object.fromEntries(
    files
      .map((one): [string, string] => [join(one.parentPath, one.name).slice(folder.length), ''])
      .map(([path]): [string, string] => [path, readFileSync(join(folder, path), 'base64')])
      .sort(),
  );
}

const bad = (root: string, args: readonly string[], env: Readonly<Record<string, string>>): Outcome =>
  run(root, args, { env: { NODE_OPTIONS: `--require ${HOOK}`, ...env } });

const made = (): string => project({ 'horn.mjs': HORN, 'tones/low.txt': 'low'.repeat(5000), 'tones/high.txt': 'high' });

describe('a disk that fails', () => {
  it.each(['ENOSPC', 'EROFS', 'EIO', 'ENOENT'])('with %s leaves nothing half there, and says so', (code) => {
    const reference = made();
    expect(run(reference, ['build']).status).toBe(0);
    const expected = holds(join(reference, 'out'));
    let refused = 0;
    for (let step = 1; step < 60; step += 7) {
      const root = made();
      const { status, stderr } = bad(root, ['build'], { FAULT: `${code}:${String(step)}` });
      // What is only remembered may be lost; then the work is done all the same.
      if (status !== 0) {
        expect([step, status, stderr.split('\n')[0]]).toEqual([step, 3, 'error while writing']);
        refused += 1;
      }
      const there = holds(join(root, 'out'));
      const artifact = there['/horn/arm64/horn.zip'];
      expect([undefined, expected['/horn/arm64/horn.zip']]).toContain(artifact);
      if (there['/horn/arm64/horn.waybill.json'] !== undefined) expect(artifact).toBeDefined();
      // A lock that could not be released is taken for dead after a while, which nobody here waits for.
      rmSync(join(root, '.emballage/build.lock'), { recursive: true, force: true });
      expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
      expect(holds(join(root, 'out'))).toEqual(expected);
    }
    expect(refused).toBeGreaterThan(3);
  });

  it('is told as it is: full, closed, or taken away', () => {
    const said = (code: string): string => bad(made(), ['build'], { FAULT: `${code}:1` }).stderr;
    expect(said('ENOSPC')).toContain('room on the disk');
    expect(said('EROFS')).toContain('a folder that can be written to');
    expect(said('ENOENT')).toContain('took it away in the meantime');
  });
});

describe('a source that changes while it is read', () => {
  it.each(['vanish', 'grow', 'shrink'])('is refused: %s', (how) => {
    const root = made();
    const { status, stderr } = bad(root, ['build'], { FAULT: `${how}:tones/low.txt` });
    expect([status, stderr.split('\n').length > 3, holds(join(root, 'out'))]).toEqual([2, true, {}]);
    expect(stderr).toContain('src/tones/low.txt');
    put(root, { 'src/tones/low.txt': 'low'.repeat(5000) });
    expect(run(root, ['build']).status).toBe(0);
  });
});

describe('files that lie on another disk', () => {
  const other = ['/dev/shm', '/run'].find((path) => existsSync(path)) ?? tmpdir();

  it('come out the same: temporary ones, and those that are kept for the user', () => {
    const away = mkdtempSync(join(other, 'emballage-test-'));
    try {
      const keys = { base: { root: 'bases/root' }, archive: true };
      const moorings = 'destination: moorings\narch: [x86_64]\naccepts: { image: {} }\nruntimes: {}\n';
      const [here, there] = [0, 1].map(() =>
        imageProject(moorings, keys, { 'bases/root/usr/bin/node': '#!/bin/sh\n' }),
      );
      const elsewhere = { env: { TMPDIR: away, XDG_CACHE_HOME: join(away, 'caches') } };
      for (const command of ['lock', 'build']) {
        expect(run(here ?? '', [command])).toMatchObject({ status: 0, stderr: '' });
        expect(run(there ?? '', [command], elsewhere)).toMatchObject({ status: 0, stderr: '' });
      }
      expect(holds(join(there ?? '', 'out'))).toEqual(holds(join(here ?? '', 'out')));
      expect(readdirSync(away)).toEqual(['caches']);
    } finally {
      rmSync(away, { recursive: true, force: true });
    }
  });
});

describe('a clock that is wrong', () => {
  const YEARS = 365 * 24 * 3600 * 1000;

  it.each([-60 * YEARS, 80 * YEARS])('changes no byte, and hides no change: off by %i ms', (off) => {
    const [root, reference] = [made(), made()];
    const CLOCK = String(off);
    for (const one of [root, reference])
      expect(bad(one, ['build'], { CLOCK: one === root ? CLOCK : '' }).status).toBe(0);
    expect(holds(join(root, 'out'))).toEqual(holds(join(reference, 'out')));
    expect(bad(root, ['build'], { CLOCK }).stdout).toContain('unchanged');
    expect(run(root, ['build']).stdout).toContain('unchanged');
    // The same length, and a time that is long gone: only the content tells.
    for (const one of [root, reference]) put(one, { 'src/tones/high.txt': 'HIGH' });
    utimesSync(join(root, 'src/tones/high.txt'), 1, 1);
    expect(bad(root, ['build'], { CLOCK }).status).toBe(0);
    forget(reference);
    run(reference, ['build']);
    expect(holds(join(root, 'out'))).toEqual(holds(join(reference, 'out')));
  });
});

describe('what is large or deep', () => {
  it('is packed: folders 500 deep', () => {
    const root = made();
    const deep = Array.from({ length: 500 }, () => 'd').join('/');
    put(root, { [`src/${deep}/note.txt`]: 'deep' });
    expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
    const listed = spawnSync('unzip', ['-l', join(root, 'out/horn/arm64/horn.zip')], { encoding: 'utf8' }).stdout;
    expect(listed).toContain(`${deep}/note.txt`);
    expect(run(root, ['check']).status).not.toBe(4);
  });

  it('is packed: a path of 4,000 letters', () => {
    const root = folderWith({});
    const long = Array.from({ length: 17 }, (_, i) => String.fromCharCode(97 + i).repeat(230)).join('/');
    // Longer paths than the system takes in one go are made step by step.
    const script = `set -e; cd '${root}'; mkdir src; cd src; cp '${join(made(), 'src/horn.mjs')}' .; for d in ${long.replaceAll('/', ' ')}; do mkdir $d; cd $d; done; echo long > note.txt`;
    expect(spawnSync('bash', ['-c', script]).status).toBe(0);
    const source = made();
    put(root, {
      'emballage.yaml': readFileSync(join(source, 'emballage.yaml')),
      'slipway.yaml': readFileSync(join(source, 'slipway.yaml')),
    });
    expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
    const listed = spawnSync('unzip', ['-Z1', join(root, 'out/horn/arm64/horn.zip')], { encoding: 'utf8' }).stdout;
    expect(listed.split('\n')).toContain(`${long}/note.txt`);
  });

  it('is built: a sheet of 1,000 functions', () => {
    const names = Array.from({ length: 1000 }, (_, i) => `gauge-${String(i)}`);
    const spec = { source: 'src', runtime: 'node 20', entry: 'horn.mjs#sound', artifact: 'zip' };
    const sheet = {
      project: 'fernhaven-tides',
      destinations: { slipway: 'slipway.yaml' },
      defaults: { destination: 'slipway', arch: ['arm64'] },
      functions: Object.fromEntries(names.map((name) => [name, spec])),
    };
    const root = folderWith({
      'emballage.yaml': JSON.stringify(sheet),
      'slipway.yaml': readFileSync(join(made(), 'slipway.yaml')),
      'src/horn.mjs': HORN,
    });
    const { status, stdout } = spawnSync(process.execPath, [PROGRAM, 'build', '--json'], {
      cwd: root,
      encoding: 'utf8',
      maxBuffer: 64 << 20,
    });
    const { targets } = JSON.parse(stdout) as { targets: { sha256: string }[] };
    expect([status, targets.length, new Set(targets.map(({ sha256 }) => sha256)).size]).toEqual([0, 1000, 1]);
  });
});
