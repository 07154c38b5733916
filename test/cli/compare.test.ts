/** `compare`: verdict, differences in the terms of each format, and the cause where nothing that counts differs. */
import { spawnSync } from 'node:child_process';
import { copyFileSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { imageProject, layoutFolder, layoutTar, NODE_AND_SHELL, type HandImage } from '../support/images';
import { itWithJava } from '../support/jvm';
import { itWith } from '../support/needs';
import { LEVELS_PACKAGES, levelsLock, levelsProject, nodeProject, startRegistry } from '../support/npm';
import { makePe } from '../support/pe-bytes';
import { folderWith, put, run, type Files } from '../support/program';
import { standInRegistry } from '../support/registry';
import { makeTar } from '../support/tar-bytes';
import { makeZip, type RawEntry } from '../support/zip-bytes';

interface Difference {
  readonly change: string;
  readonly path: string;
  readonly to?: string;
  readonly by: number;
  readonly as?: string;
  readonly cause?: string;
  readonly details: readonly { what: string; a: string; b: string }[];
  readonly lines?: readonly string[];
  readonly inside?: readonly Difference[];
}
interface Comparison {
  readonly verdict: string;
  readonly differences: readonly Difference[];
  readonly causes: readonly { cause: string; where: string; a: string; b: string }[];
}

function compared(root: string, ...words: readonly string[]): Comparison {
  const { stdout, stderr, status } = run(root, ['compare', ...words, '--json']);
  if (stdout === '') throw new Error(stderr);
  const found = JSON.parse(stdout) as Comparison;
  expect(status).toBe(found.verdict === 'same-bytes' ? 0 : 1);
  return found;
}

function files(a: string | Buffer, b: string | Buffer, name = ''): Comparison {
  const ending = name === '' ? '' : `.${name}`;
  return compared(folderWith({ [`a${ending}`]: a, [`b${ending}`]: b }), `a${ending}`, `b${ending}`);
}

const zip = (...entries: readonly RawEntry[]): Buffer => makeZip(entries);
const changes = ({ differences }: Pick<Comparison, 'differences'>): unknown[] =>
  differences.map(({ change, path, to }) => [change, path, ...(to === undefined ? [] : [to])]);
const details = (one: Difference | undefined): unknown[] => (one?.details ?? []).map(({ what, a, b }) => [what, a, b]);

describe('compare, on archives and folders', () => {
  const table = { name: 'table.txt', data: 'one\ntwo\nthree\n' };

  it('says the same bytes are the same', () => {
    expect(files(zip(table), zip(table), 'zip')).toMatchObject({ verdict: 'same-bytes', differences: [], causes: [] });
    expect(files('', '')).toMatchObject({ verdict: 'same-bytes' });
  });

  it('tells what came, went, moved and changed, and what each weighs', () => {
    const a = zip(table, { name: 'gone', data: 'gone' }, { name: 'old/place', data: 'x'.repeat(99) });
    const b = zip(
      { ...table, data: 'one\n2\nthree\n' },
      { name: 'new/place', data: 'x'.repeat(99) },
      { name: 'come', data: 'come!' },
    );
    const found = files(a, b, 'zip');
    expect(found.verdict).toBe('differs');
    expect(changes(found)).toEqual([
      ['changed', 'table.txt'],
      ['moved', 'old/place', 'new/place'],
      ['removed', 'gone'],
      ['added', 'come'],
    ]);
    expect(found.differences.map(({ by }) => by)).toEqual([-2, 0, -4, 5]);
    expect(found.differences[0]?.lines).toEqual(['@@ line 1 → line 1', ' one', '-two', '+2', ' three']);
  });

  it.each<[string, Buffer, Buffer, string]>([
    ['an order', zip(table, { name: 'a' }), zip({ name: 'a' }, table), 'order'],
    ['a mode', zip(table), zip({ ...table, mode: 0o100755 }), 'mode'],
    ['a compressor', zip({ ...table, method: 0 }), zip({ ...table, method: 8 }), 'compressor'],
    ['folders that are entries', zip({ name: 'd/a' }), zip({ name: 'd/', mode: 0o40755 }, { name: 'd/a' }), 'tool'],
    ['a time in a tar archive', makeTar([table]), makeTar([{ ...table, mtime: 86_400 }]), 'time'],
    ['an owner in a tar archive', makeTar([table]), makeTar([{ ...table, uid: 1000 }]), 'owner'],
    [
      'the level of gzip',
      gzipSync(table.data.repeat(900), { level: 1 }),
      gzipSync(table.data.repeat(900), { level: 9 }),
      'compressor',
    ],
    [
      'a time inside an archive',
      zip({ name: 'i.tar', data: makeTar([table]) }),
      zip({ name: 'i.tar', data: makeTar([{ ...table, mtime: 9 }]) }),
      'time',
    ],
  ])('names %s as the cause', (_, a, b, cause) => {
    const found = files(a, b, 'x');
    expect(found.verdict).toBe('same-content');
    expect(found.causes.map((one) => one.cause)).toContain(cause);
  });

  it('names the time of entries as the cause, as other tools write it', () => {
    const root = folderWith({ 'd/a.txt': 'a', 'd/b.txt': 'b' });
    const made = (name: string, date: string): void => {
      spawnSync('touch', ['-d', date, 'd/a.txt', 'd/b.txt'], { cwd: root });
      expect(spawnSync('zip', ['-q', '-X', '-r', name, 'd'], { cwd: root }).status).toBe(0);
    };
    made('a.zip', '2020-02-02');
    made('b.zip', '2021-02-02');
    const found = compared(root, 'a.zip', 'b.zip');
    expect([found.verdict, found.causes.map(({ cause }) => cause)]).toEqual(['same-content', ['time']]);
    expect(found.causes[0]).toMatchObject({ where: 'd/a.txt', a: expect.stringContaining('2020-02-02') as unknown });
  });

  it('holds an archive against a folder, and archives of two formats', () => {
    const root = folderWith({
      'a.zip': zip(table),
      'b.tar': makeTar([table]),
      'c/table.txt': 'one\ntwo\n',
      'd/table.txt': table.data,
    });
    expect(compared(root, 'a.zip', 'b.tar').verdict).toBe('same-content');
    expect(compared(root, 'a.zip', 'd').verdict).toBe('same-content');
    expect(changes(compared(root, 'a.zip', 'c'))).toEqual([['changed', 'table.txt']]);
    expect(compared(root, 'c', 'd').verdict).toBe('differs');
  });

  it('looks into archives in archives, as deep as anybody means', () => {
    const nested = (data: string, depth: number): Buffer =>
      Array.from({ length: depth }).reduce<Buffer>(
        (inner) => zip({ name: 'n.zip', data: inner }),
        zip({ name: 'deep.txt', data }),
      );
    const found = files(nested('one\n', 3), nested('two\n', 3), 'zip');
    const innermost = found.differences[0]?.inside?.[0]?.inside?.[0]?.inside?.[0];
    expect([innermost?.path, innermost?.lines?.slice(1)]).toEqual(['deep.txt', ['-one', '+two']]);
    expect(files(nested('one\n', 20), nested('two\n', 20), 'zip').verdict).toBe('differs');
  });

  it('compares what is cut or of no known format as bytes, and refuses two kinds', () => {
    const whole = zip(table);
    const bytes = [Buffer.of(0, 1, 2, 3), Buffer.of(0, 1, 9, 3)] as const;
    expect(details(files(...bytes).differences[0])).toEqual([['byte 2', '0x02', '0x09']]);
    expect(files(whole, whole.subarray(0, 40), 'zip')).toMatchObject({ verdict: 'differs' });
    const root = folderWith({ 'a.zip': whole, 'a.gz': gzipSync('x'), 'b.tar': makeTar([table]) });
    for (const [a, b] of [['a.zip', 'gone.zip'], ['a.zip'], ['a', 'b', 'c'], []] as const)
      expect(run(root, ['compare', ...[a, b].filter((one) => one !== undefined)])).toMatchObject({ status: 2 });
    put(root, { 'a.class': Buffer.of(0xca, 0xfe, 0xba, 0xbe, 0, 0, 0, 61) });
    expect(run(root, ['compare', 'a.zip', 'a.class'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('found     zip archive and class file') as unknown,
    });
  });

  it('writes a page for a review, in which nothing of the archives is markup', () => {
    const evil = '`|<b>*x*';
    const root = folderWith({
      'a.zip': zip({ name: evil, data: '```\none' }),
      'b.zip': zip({ name: evil, data: '```\ntwo' }),
    });
    const { stdout } = run(root, ['compare', 'a.zip', 'b.zip', '--format', 'markdown']);
    expect(stdout).toContain('### Content differs');
    expect(stdout).toContain('| changed | ``  `\\|<b>*x* `` | text |  |'.replace('``  `', '`` `'));
    expect(stdout).toContain('<summary>&#96;|&#60;b&#62;&#42;x&#42;</summary>');
    expect(stdout).toContain('````diff');
  });
});

describe('compare, on what archives hold', () => {
  it('tells JSON and YAML by paths', () => {
    const a = { a: { b: [1, 2] }, 'x/y': true, same: 1 };
    const b = { a: { b: [1, 3, 4] }, same: 1, new: null };
    expect(details(files(JSON.stringify(a), JSON.stringify(b, null, 1), 'json').differences[0])).toEqual([
      ['/a/b/1', '2', '3'],
      ['/a/b/2', 'nothing', '4'],
      ['/x~1y', 'true', 'nothing'],
      ['/new', 'nothing', 'null'],
    ]);
    expect(details(files('a: [1, 2]\n', 'a: [1, 3]\n', 'yaml').differences[0])).toEqual([['/a/1', '2', '3']]);
    expect(files('a: 1\n', 'a: 1 # one\n', 'yaml').differences[0]?.details).toMatchObject([{ what: 'layout' }]);
  });

  it('bounds what it shows of texts', () => {
    const many = (word: string): string => Array.from({ length: 500 }, (_, i) => `${word} ${String(i)}\n`).join('');
    const lines = files(many('a'), many('b')).differences[0]?.lines ?? [];
    expect([lines.length, lines.at(-1)]).toEqual([61, expect.stringMatching(/more lines$/) as unknown]);
    expect(files('a\r\nb\r\n', 'a\nb\n').differences[0]?.lines?.[0]).toBe('@@ lines end with CR LF → LF');
  });

  it('names the folder that something was made in as the cause', () => {
    const at = (folder: string): string => `made in ${folder}/src/table.c\n`;
    expect(files(at('/home/ada/tides'), at('/build/tides'))).toMatchObject({
      verdict: 'same-content',
      causes: [{ cause: 'path', a: '/home/ada/tides/src/table.c', b: '/build/tides/src/table.c' }],
    });
  });

  it('knows the header of bytecode', () => {
    const bytecode = (version: number, time: number, code: string): Buffer => {
      const header = Buffer.alloc(16);
      header.writeUInt32LE(0x0a0d0000 + version, 0);
      header.writeUInt32LE(time, 8);
      return Buffer.concat([header, Buffer.from(code)]);
    };
    const of = (...args: Parameters<typeof bytecode>): Buffer => zip({ name: 'm.pyc', data: bytecode(...args) });
    expect(files(of(3495, 1, 'x'), of(3495, 2, 'x'), 'zip')).toMatchObject({
      verdict: 'same-content',
      causes: [{ cause: 'time' }],
    });
    expect(files(of(3495, 1, 'x'), of(3531, 1, 'y'), 'zip')).toMatchObject({
      verdict: 'differs',
      causes: [{ cause: 'tool' }],
    });
  });

  itWith('gcc')('tells executables by their sections, needs and symbols, and a build id alone as the cause', () => {
    const root = folderWith({
      'a.c': 'int tide(void) { return 1; }\nint main(void) { return tide(); }\n',
      'b.c':
        '#include <math.h>\nint surge(double x) { return (int) cos(x); }\nint main(int n, char **v) { return surge(n); }\n',
    });
    const gcc = (...args: readonly string[]): unknown => expect(spawnSync('gcc', args, { cwd: root }).status).toBe(0);
    gcc('-Wl,--build-id=0x11', 'a.c', '-o', 'one');
    gcc('-Wl,--build-id=0x22', 'a.c', '-o', 'two');
    gcc('-fno-builtin', 'b.c', '-o', 'three', '-lm');
    const ids = compared(root, 'one', 'two');
    expect([ids.verdict, ids.causes.map(({ cause, a, b }) => [cause, a, b])]).toEqual([
      'same-content',
      [['build-id', '11', '22']],
    ]);
    const other = compared(root, 'one', 'three');
    const [whole, ...sections] = other.differences;
    expect(details(whole)).toEqual(
      expect.arrayContaining([
        ['needs', 'libc.so.6', 'libm.so.6, libc.so.6'],
        ['symbols', expect.stringContaining('tide'), expect.stringContaining('surge')],
      ]),
    );
    expect(sections.map(({ path }) => path)).toContain('.text');
  });

  it('tells PE files by needs and sections, and a time stamp alone as the cause', () => {
    const at = (time: number, pe: Buffer): Buffer => {
      pe.writeUInt32LE(time, 72);
      return pe;
    };
    const plain = (): Buffer => makePe(0xaa64, ['tide.dll']);
    const times = files(at(86_400, plain()), at(172_800, plain()), 'dll');
    expect([times.verdict, times.causes.map(({ cause, a }) => [cause, a])]).toEqual([
      'same-content',
      [['time', '1970-01-02T00:00:00.000Z']],
    ]);
    const other = files(plain(), makePe(0xaa64, ['surge.dll']), 'dll');
    expect(details(other.differences[0])).toEqual([['needs', 'tide.dll', 'surge.dll']]);
    expect(other.differences.slice(1).map(({ as }) => as)).toEqual(['section']);
  });

  itWithJava('tells classes by their members, code and constants', () => {
    const root = folderWith({
      'a/Tide.java':
        'class Tide { int height() { return 1; } int gone() { return 2; } String name() { return "ebb"; } }',
      'b/Tide.java':
        'class Tide { int height() { return 7; } long come() { return 2; } String name() { return "flood"; } }',
      'c/Tide.java':
        '\n\nclass Tide { int height() { return 1; } int gone() { return 2; } String name() { return "ebb"; } }',
    });
    for (const folder of ['a', 'b', 'c'])
      expect(spawnSync('javac', ['-g:none', 'Tide.java'], { cwd: join(root, folder) }).status).toBe(0);
    const { differences } = compared(root, 'a/Tide.class', 'b/Tide.class');
    expect(differences.slice(1).map(({ change, path, as }) => [change, path, as])).toEqual(
      expect.arrayContaining([
        ['changed', 'height()I', 'method'],
        ['removed', 'gone()I', 'method'],
        ['added', 'come()J', 'method'],
        ['changed', 'name()Ljava/lang/String;', 'method'],
      ]),
    );
    expect(details(differences[0])).toContainEqual(['constants', '"ebb", "gone"', expect.stringContaining('"flood"')]);
    expect(compared(root, 'a/Tide.class', 'c/Tide.class').verdict).toBe('same-bytes');
  });

  it('tells images by configuration, layers and the files in them', () => {
    const image = (data: string, config: Record<string, unknown> = {}): HandImage => {
      return { layers: [[{ name: 'etc/table', data }], [{ name: 'same', data: 'x' }]], config };
    };
    const tar = (one: HandImage): Buffer => layoutTar([one]);
    const found = files(tar(image('one\n')), tar(image('two\n', { User: '7' })), 'oci.tar');
    const [configuration, layer] = found.differences;
    expect([found.verdict, details(configuration), layer?.path]).toEqual([
      'differs',
      [['user', '""', '"7"']],
      'layer 1',
    ]);
    expect(layer?.inside?.map(({ change, path }) => [change, path])).toEqual([['changed', 'etc/table']]);
    const root = folderWith({ 'a.oci.tar': tar(image('one\n')) });
    layoutFolder(join(root, 'b'), [image('one\n')]);
    expect(compared(root, 'a.oci.tar', 'b').verdict).toBe('same-bytes');
  });
});

describe('compare, on a project', () => {
  it('holds a function against an earlier artifact, or against what it was last sent as', async () => {
    const root = nodeProject({ 'alert.mjs': 'export const decide = () => 1;\n' });
    expect(run(root, ['build']).status).toBe(0);
    copyFileSync(join(root, 'out/alert/x86_64/alert.zip'), join(root, 'old.zip'));
    expect(compared(root, 'old.zip', 'alert').verdict).toBe('same-bytes');
    put(root, { 'src/alert.mjs': 'export const decide = () => 2;\n' });
    expect(run(root, ['build']).status).toBe(0);
    expect(changes(compared(root, 'old.zip', 'alert', '--arch', 'x86_64'))).toEqual([['changed', 'alert.mjs']]);
    expect(run(root, ['compare', 'alert'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('send alert`') as unknown,
    });

    const { host } = await standInRegistry(folderWith({}));
    const moorings = `destination: slipway\narch: [x86_64]\naccepts: { image: {} }\nruntimes: {}\nregistry: ${host}/fernhaven\n`;
    const harbour = imageProject(moorings, { base: { layout: 'base' } });
    layoutFolder(join(harbour, 'base'), [{ layers: [NODE_AND_SHELL] }]);
    for (const command of ['lock', 'build', 'send']) expect(run(harbour, [command])).toMatchObject({ status: 0 });
    expect(compared(harbour, 'horn').verdict).toBe('same-bytes');
    const source = readFileSync(join(harbour, 'src/horn.mjs'), 'utf8');
    put(harbour, { 'src/horn.mjs': `${source}// louder\n` });
    expect(run(harbour, ['build']).status).toBe(0);
    const [layer] = compared(harbour, 'horn').differences;
    expect(layer?.inside?.map(({ path }) => path)).toEqual(['function/horn.mjs']);
  });

  it('holds locks against each other, also as they were at a revision', async () => {
    const registry = await startRegistry({ ...LEVELS_PACKAGES, 'levels@2.1.0': LEVELS_PACKAGES['levels@2.0.0'] });
    const root = await levelsProject(registry, await levelsLock(registry));
    expect(run(root, ['lock'])).toMatchObject({ status: 0 });
    const git = (...args: readonly string[]): void => {
      const identity = ['-c', 'user.name=Ada', '-c', 'user.email=ada@fernhaven.example'];
      expect(spawnSync('git', [...identity, ...args], { cwd: root })).toMatchObject({ status: 0 });
    };
    git('init', '-q');
    git('add', '-A');
    git('commit', '-q', '-m', 'tides');
    expect(compared(root, 'emballage.lock@HEAD', 'emballage.lock').verdict).toBe('same-bytes');
    const lock = readFileSync(join(root, 'emballage.lock'), 'utf8');
    writeFileSync(
      join(root, 'emballage.lock'),
      lock.replace('"name":"levels","version":"2.0.0"', '"name":"levels","version":"2.1.0"'),
    );
    const found = compared(root, 'emballage.lock@HEAD', 'emballage.lock');
    const [alert] = found.differences;
    expect([found.verdict, alert?.path, details(alert?.inside?.[0])]).toEqual([
      'differs',
      'alert',
      [['version', '2.0.0', '2.1.0']],
    ]);
    for (const word of ['emballage.lock@nowhere', 'emballage.lock@--output=x', 'none.lock'])
      expect(run(root, ['compare', word, 'emballage.lock'])).toMatchObject({ status: 2 });
    put(root, { 'bad.lock': '{' } satisfies Files);
    expect(run(root, ['compare', 'bad.lock', 'emballage.lock'])).toMatchObject({ status: 2 });
  });
});
