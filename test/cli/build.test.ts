import { spawn, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import {
  appendFileSync,
  chmodSync,
  cpSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  symlinkSync,
  utimesSync,
  writeFileSync,
} from 'node:fs';
import { createServer } from 'node:net';
import { join } from 'node:path';
import Ajv2020 from 'ajv/dist/2020';
import { noise, words } from '../support/data';
import {
  ARTIFACT,
  CODE_FOLDER,
  environment,
  folderWith,
  forget,
  HORN,
  PROGRAM,
  project,
  put,
  run,
} from '../support/program';
import { requireTool } from '../support/tools';

const sha256 = (path: string): string => createHash('sha256').update(readFileSync(path)).digest('hex');
const listing = (root: string): string[] => {
  const program =
    'import sys,zipfile\nfor i in zipfile.ZipFile(sys.argv[1]).infolist(): print(oct(i.external_attr>>16), i.date_time[0], i.filename)';
  const { stdout } = spawnSync(requireTool('python3'), ['-c', program, join(root, ARTIFACT)], { encoding: 'utf8' });
  return stdout.trim().split('\n');
};
const names = (root: string): string[] => listing(root).map((line) => line.split(' ').slice(2).join(' '));
const status = (root: string, args: readonly string[] = []) => {
  const { stdout } = run(root, ['build', '--json', ...args]);
  return JSON.parse(stdout) as {
    targets: { name: string; arch: string; status: string; sha256: string }[];
    hashed: number;
    packed: number;
  };
};

const KILL_AT = join(__dirname, '../support/kill-at.js');

describe('build', () => {
  it('makes a zip that others read, with fixed times, modes and order', () => {
    const root = project({
      'horn.mjs': HORN,
      'lib/b.mjs': '',
      'lib-a.mjs': words(1, 9000),
      'run.sh': (path) => writeFileSync(path, '#!/bin/sh\n', { mode: 0o751 }),
    });
    expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
    expect(listing(root)).toEqual([
      '0o100644 1980 horn.mjs',
      '0o100644 1980 lib-a.mjs',
      '0o100644 1980 lib/b.mjs',
      '0o100755 1980 run.sh',
    ]);
    expect(spawnSync(requireTool('unzip'), ['-t', join(root, ARTIFACT)]).status).toBe(0);
  });

  it('streams files of any size, and other tools unpack them to the same bytes', () => {
    const big = Buffer.concat([words(2, 2_500_000), noise(3, 900_000), Buffer.alloc(3_000_000)]);
    const root = project({ 'horn.mjs': HORN, big });
    expect(run(root, ['build']).status).toBe(0);
    const { stdout } = spawnSync(requireTool('unzip'), ['-p', join(root, ARTIFACT), 'big'], { maxBuffer: 64 << 20 });
    expect(stdout.equals(big)).toBe(true);
    const waybill = JSON.parse(readFileSync(join(root, 'out/horn/arm64/horn.waybill.json'), 'utf8')) as {
      artifact: { sha256: string };
    };
    expect(waybill.artifact.sha256).toBe(sha256(join(root, ARTIFACT)));
  });

  it('gives the same bytes in another folder, with one thread or several', () => {
    const files = Object.fromEntries(Array.from({ length: 40 }, (_, i) => [`f${String(i)}`, words(i, 100_000)]));
    const [one, other] = [project({ 'horn.mjs': HORN, ...files }), project({ ...files, 'horn.mjs': HORN })];
    run(one, ['build', '--jobs', '1']);
    run(other, ['build', '--jobs', '4']);
    expect(sha256(join(one, ARTIFACT))).toBe(sha256(join(other, ARTIFACT)));
    const waybill = ARTIFACT.replace('.zip', '.waybill.json');
    expect(readFileSync(join(one, waybill), 'utf8')).toBe(readFileSync(join(other, waybill), 'utf8'));
  });

  it('takes the time of entries from SOURCE_DATE_EPOCH, and refuses one that is no number', () => {
    const root = project({ 'horn.mjs': HORN });
    run(root, ['build'], { env: { SOURCE_DATE_EPOCH: '1000000000' } });
    expect(listing(root)).toEqual(['0o100644 2001 horn.mjs']);
    expect(run(root, ['build'], { env: { SOURCE_DATE_EPOCH: 'today' } })).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('whole seconds since 1970') as unknown,
    });
  });

  it('writes a waybill that its published schema accepts', () => {
    const root = project({ 'horn.mjs': HORN, 'bell.txt': 'x' }, { settings: { KEEPER: { secret: true } } });
    run(root, ['build']);
    const waybill = JSON.parse(readFileSync(join(root, 'out/horn/arm64/horn.waybill.json'), 'utf8')) as object;
    const schema = JSON.parse(readFileSync(join(__dirname, '../../schemas/waybill.schema.json'), 'utf8')) as object;
    expect(new Ajv2020({ strict: false }).validate(schema, waybill)).toBe(true);
    expect(waybill).toMatchObject({
      entry: { declared: 'horn.mjs#sound', host: 'horn.sound' },
      settings: [{ name: 'KEEPER', secret: true }],
      files: [
        { path: 'bell.txt', reason: { why: 'in-source' } },
        { path: 'horn.mjs', mode: '0644', origin: { at: 'src/horn.mjs' }, reason: { why: 'entry' } },
      ],
    });
  });
});

describe('what is collected', () => {
  it('leaves out what nobody wants, and what the sheet says, and brings back what it keeps', () => {
    const litter = {
      '.git/HEAD': '',
      '.hg/x': '',
      'out/horn.zip': '',
      '.DS_Store': '',
      'a.mjs~': '',
      '.horn.mjs.swp': '',
      '.idea/x': '',
    };
    const source = {
      'horn.mjs': HORN,
      'a.test.mjs': '',
      'tests/a': '',
      'tests/keep.txt': '',
      'logs/1.log': '',
      ...litter,
    };
    const root = project(source, { 'leave-out': ['*.test.mjs', 'tests/', '/logs'], keep: ['tests/keep.txt'] });
    const { stdout } = run(root, ['build', '--verbose']);
    expect(names(root)).toEqual(['horn.mjs', 'tests/keep.txt']);
    expect(stdout).toContain('left out .git/ (version-control)');
    expect(stdout).toContain('left out a.test.mjs (pattern)');
    expect(stdout).toContain('left out a.mjs~ (editor-litter)');
  });

  it('leaves out an artifact of an earlier run wherever it was copied to, but no other archive', () => {
    const root = project({ 'horn.mjs': HORN });
    run(root, ['build']);
    const before = sha256(join(root, ARTIFACT));
    cpSync(join(root, ARTIFACT), join(root, 'src/last-week.zip'));
    cpSync(join(root, ARTIFACT.replace('.zip', '.waybill.json')), join(root, 'src/last-week.waybill.json'));
    run(root, ['build']);
    expect(sha256(join(root, ARTIFACT))).toBe(before);
    put(root, { 'src/data.zip': 'no artifact' });
    run(root, ['build']);
    expect(names(root)).toEqual(['data.zip', 'horn.mjs']);
  });

  it('follows links that stay inside, or keeps them', () => {
    const source = {
      'horn.mjs': HORN,
      'data/a': 'tide',
      link: (p: string) => symlinkSync('data/a', p),
      folder: (p: string) => symlinkSync('data', p),
    };
    const followed = project(source);
    run(followed, ['build']);
    expect(names(followed)).toEqual(['data/a', 'folder/a', 'horn.mjs', 'link']);
    const kept = project(source, { links: 'keep' });
    run(kept, ['build']);
    expect(listing(kept)).toEqual([
      '0o100644 1980 data/a',
      '0o120777 1980 folder',
      '0o100644 1980 horn.mjs',
      '0o120777 1980 link',
    ]);
  });

  it('packs empty folders when asked', () => {
    const root = project({ 'horn.mjs': HORN, 'spool/x': '' }, { 'empty-folders': true });
    rmSync(join(root, 'src/spool/x'));
    run(root, ['build']);
    expect(listing(root)).toEqual(['0o100644 1980 horn.mjs', '0o40755 1980 spool/']);
  });

  it('names everything that cannot be packed, at once', async () => {
    const outside = folderWith({ secret: 'x' });
    const root = project({
      'horn.mjs': HORN,
      gone: (p) => symlinkSync('nowhere', p),
      out: (p) => symlinkSync(join(outside, 'secret'), p),
      self: (p) => symlinkSync('.', p),
      pipe: (p) => void spawnSync('mkfifo', [p]),
      'a\\b': '',
      'line\nfeed': '',
      plain: (p) => void spawnSync(requireTool('python3'), ['-c', `open(b'${p}-\\xff','w')`]),
    });
    const server = createServer().listen(join(root, 'src/socket'));
    await new Promise((resolve) => server.once('listening', resolve));
    const { status: exit, stderr } = run(root, ['build']);
    server.close();
    expect(exit).toBe(2);
    for (const result of [
      'where nothing is',
      'leaves the source folder',
      'contains itself',
      'named pipe',
      'socket',
      'a backslash',
      'control character',
      'not UTF-8',
    ])
      expect(stderr).toContain(result);
    expect(existsSync(join(root, 'out'))).toBe(false);
  });
});

describe('building again', () => {
  it('does nothing when nothing has changed, and makes only what has', () => {
    const root = project({ 'horn.mjs': HORN }, {}, { 'other/bell.mjs': HORN });
    const sheet = JSON.parse(readFileSync(join(root, 'emballage.yaml'), 'utf8')) as {
      functions: Record<string, object>;
    };
    sheet.functions.bell = { ...sheet.functions.horn, source: 'other', entry: 'bell.mjs#sound' };
    writeFileSync(join(root, 'emballage.yaml'), JSON.stringify(sheet));
    // Files as new as the build itself are read again the next time.
    for (const file of ['src/horn.mjs', 'other/bell.mjs']) utimesSync(join(root, file), 1e9, 1e9);
    spawnSync('sleep', ['0.1']);
    run(root, ['build']);
    const before = statSync(join(root, ARTIFACT)).mtimeMs;
    expect(status(root)).toMatchObject({
      hashed: 0,
      packed: 0,
      targets: [{ status: 'unchanged' }, { status: 'unchanged' }],
    });
    expect(statSync(join(root, ARTIFACT)).mtimeMs).toBe(before);
    appendFileSync(join(root, 'other/bell.mjs'), '// louder\n');
    expect(status(root).targets.map((t) => [t.name, t.status])).toEqual([
      ['horn', 'unchanged'],
      ['bell', 'built'],
    ]);
  });

  it('sees a change that keeps size and modification time', () => {
    const root = project({ 'horn.mjs': HORN });
    utimesSync(join(root, 'src/horn.mjs'), 1e9, 1e9);
    const [first] = status(root).targets;
    writeFileSync(join(root, 'src/horn.mjs'), HORN.replace('blasts:', 'BLASTS:'));
    utimesSync(join(root, 'src/horn.mjs'), 1e9, 1e9);
    expect(status(root).targets[0]?.sha256).not.toBe(first?.sha256);
  });

  it('takes from the store what was built before, unless it is damaged there', () => {
    const root = project({ 'horn.mjs': HORN });
    const [first] = status(root).targets;
    put(root, { 'src/horn.mjs': `${HORN}// once\n` });
    status(root);
    put(root, { 'src/horn.mjs': HORN });
    expect(status(root).targets).toMatchObject([{ status: 'stored', sha256: first?.sha256 }]);
    const store = join(root, '.emballage', CODE_FOLDER, 'artifacts');
    for (const name of readdirSync(store)) if (!name.endsWith('.json')) writeFileSync(join(store, name), 'damaged');
    rmSync(join(root, 'out'), { recursive: true });
    expect(status(root).targets[0]?.sha256).toBe(first?.sha256);
    expect(sha256(join(root, ARTIFACT))).toBe(first?.sha256);
  });

  it('puts back an artifact that was deleted or overwritten', () => {
    const root = project({ 'horn.mjs': HORN });
    const [first] = status(root).targets;
    rmSync(join(root, ARTIFACT));
    status(root);
    expect(sha256(join(root, ARTIFACT))).toBe(first?.sha256);
    rmSync(join(root, ARTIFACT));
    writeFileSync(join(root, ARTIFACT), 'not an artifact');
    status(root);
    expect(sha256(join(root, ARTIFACT))).toBe(first?.sha256);
  });

  it('is whole wherever it is killed, and goes on from there', () => {
    const root = project({ 'horn.mjs': HORN, note: '0' });
    run(root, ['build']);
    const waybill = join(root, ARTIFACT.replace('.zip', '.waybill.json'));
    let killed = 0;
    for (let step = 1; ; step++) {
      put(root, { 'src/note': String(step) });
      // Who is killed holds the lock for a while yet, which nobody here waits for.
      rmSync(join(root, '.emballage/build.lock'), { recursive: true, force: true });
      const { signal } = spawnSync(process.execPath, ['-r', KILL_AT, PROGRAM, 'build'], {
        cwd: root,
        env: { ...environment(root), KILL_AT: String(step) },
      });
      expect(spawnSync(requireTool('unzip'), ['-tq', join(root, ARTIFACT)]).status).toBe(0);
      if (existsSync(waybill))
        expect((JSON.parse(readFileSync(waybill, 'utf8')) as { artifact: { sha256: string } }).artifact.sha256).toBe(
          sha256(join(root, ARTIFACT)),
        );
      if (signal !== 'SIGKILL') break;
      killed++;
    }
    rmSync(join(root, '.emballage/build.lock'), { recursive: true, force: true });
    expect(killed).toBeGreaterThan(20);
    run(root, ['build']);
    const whole = sha256(join(root, ARTIFACT));
    expect(readdirSync(join(root, 'out/horn/arm64')).sort()).toEqual(['horn.waybill.json', 'horn.zip']);
    forget(root);
    rmSync(join(root, 'out'), { recursive: true });
    run(root, ['build']);
    expect(sha256(join(root, ARTIFACT))).toBe(whole);
  }, 120_000);

  it('is not mixed with another at the same time', async () => {
    const root = project({ 'horn.mjs': HORN, data: words(1, 2_000_000) });
    const both = [1, 2].map(() =>
      spawn(process.execPath, [PROGRAM, 'build'], { cwd: root, env: environment(root), stdio: 'ignore' }),
    );
    expect(await Promise.all(both.map((child) => new Promise((resolve) => child.once('exit', resolve))))).toEqual([
      0, 0,
    ]);
    expect(spawnSync(requireTool('unzip'), ['-tq', join(root, ARTIFACT)]).status).toBe(0);
    expect(readdirSync(join(root, 'out/horn/arm64')).sort()).toEqual(['horn.waybill.json', 'horn.zip']);
  });

  it('says so when there is no place to write', () => {
    const root = project({ 'horn.mjs': HORN }, {}, { out: 'a file where the folder should be' });
    expect(run(root, ['build'])).toMatchObject({
      status: 3,
      stderr: expect.stringContaining('a folder that can be written to') as unknown,
    });
  });
});

describe('reading the source', () => {
  it('refuses a source folder that vanishes between the sheet and the walk', () => {
    const root = project({ 'horn.mjs': HORN });
    run(root, ['build']);
    rmSync(join(root, 'src'), { recursive: true });
    expect(run(root, ['build'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('vanished while it was read') as unknown,
    });
  });

  it('refuses a folder in which nothing is left to pack', () => {
    const root = project({ 'horn.mjs': HORN }, { 'leave-out': ['*'] });
    expect(run(root, ['build'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('at least one file') as unknown,
    });
  });

  it('packs files that only their owner may read with modes that all may read', () => {
    const root = project({ 'horn.mjs': HORN });
    chmodSync(join(root, 'src/horn.mjs'), 0o600);
    mkdirSync(join(root, 'empty'));
    run(root, ['build']);
    expect(listing(root)).toEqual(['0o100644 1980 horn.mjs']);
  });
});
