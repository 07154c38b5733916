/** `weigh`: what takes the room, what each dependency costs alone, and how that is held. */
import { copyFileSync, existsSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import {
  LEVELS_ALERT,
  levelsLock,
  levelsProject,
  startRegistry,
  LEVELS_PACKAGES,
  nodeProject,
  type TestRegistry,
} from '../support/npm';
import { itWith } from '../support/needs';
import { nativeProject, answering } from '../support/native';
import { GAUGE_SOURCE, itWithJava, jvmProject } from '../support/jvm';
import { imageProject, layoutFolder } from '../support/images';
import { folderWith, put, run } from '../support/program';
import { makeZip } from '../support/zip-bytes';

interface Weight {
  readonly unpacked: number;
  readonly packed: number;
}
interface Weighed {
  readonly name: string;
  readonly artifact: string;
  readonly form: string;
  readonly origins: string;
  readonly total: Weight;
  readonly files: number;
  readonly dependencies: readonly (Weight & { name: string; kind: string; alone?: Weight; shared?: Weight })[];
  readonly places: readonly (Weight & { name: string })[];
  readonly layers?: readonly (Weight & { name: string; wasted: number })[];
  readonly limits: readonly { name: string; used: number }[];
  readonly savings: readonly { what: string; line?: string; unpacked?: number }[];
  readonly parts: readonly (Weight & { path: string; owner: string; section?: string })[];
  readonly growth?: { readonly changes: readonly { name: string; by: number }[] };
}

function weigh(root: string, ...args: readonly string[]): Weighed {
  const { stdout, stderr } = run(root, ['weigh', ...args, '--json']);
  const { weighed } = JSON.parse(stdout === '' ? '{"weighed":[]}' : stdout) as { weighed: Weighed[] };
  const [first] = weighed;
  if (first === undefined) throw new Error(stderr);
  return first;
}

/** What the parts come to is what the file is. */
/** Of a file, or of the blobs of an image, which are what is sent of it. */
function sizeOf(path: string): number {
  const blobs = join(path, 'blobs/sha256');
  if (!existsSync(blobs)) return statSync(path).size;
  return readdirSync(blobs).reduce((bytes, name) => bytes + statSync(join(blobs, name)).size, 0);
}

function expectWhole(root: string, { parts, total, artifact, dependencies, places }: Weighed): void {
  const sum = (all: readonly Weight[], key: keyof Weight): number => all.reduce((a, b) => a + b[key], 0);
  const size = sizeOf(join(root, artifact));
  expect(sum(parts, 'packed')).toBe(size);
  expect(total.packed).toBe(size);
  for (const groups of [dependencies, parts]) expect(sum(groups, 'unpacked')).toBe(total.unpacked);
  expect(sum(places, 'unpacked')).toBeLessThanOrEqual(total.unpacked);
}

describe('weigh', () => {
  let registry: TestRegistry;
  beforeAll(async () => {
    registry = await startRegistry(LEVELS_PACKAGES);
  });

  const built = async (keys: object = {}): Promise<string> => {
    const root = await levelsProject(registry, await levelsLock(registry));
    const sheet = JSON.parse(readFileSync(join(root, 'emballage.yaml'), 'utf8')) as { functions: { alert: object } };
    Object.assign(sheet.functions.alert, keys);
    put(root, { 'emballage.yaml': JSON.stringify(sheet) });
    for (const command of ['lock', 'build']) expect(run(root, [command])).toMatchObject({ status: 0 });
    return root;
  };

  it.each([[{}], [{ trim: 'traced' }], [{ link: true }]])(
    'promises with %j what goes when a dependency is taken out',
    async (keys) => {
      const root = await built(keys);
      const before = weigh(root, 'alert');
      expectWhole(root, before);
      const levels = before.dependencies.find(({ name }) => name === 'levels 2.0.0');
      const shades = before.dependencies.find(({ name }) => name === 'shades 1.0.0');
      expect(shades?.alone?.unpacked).toBe(shades?.unpacked);
      // Nobody else asks for the second: it would go with the first.
      expect(levels?.alone?.unpacked).toBe((levels?.unpacked ?? 0) + (shades?.unpacked ?? 0));
      put(root, { 'src/alert.mjs': LEVELS_ALERT.replace(/import.*\n/, '').replace('word(event.data.level)', '1') });
      const lock = JSON.parse(readFileSync(join(root, 'src/package-lock.json'), 'utf8')) as {
        packages: Record<string, object>;
      };
      put(root, {
        'src/package.json': '{}',
        'src/package-lock.json': JSON.stringify({ ...lock, packages: { '': {} } }),
      });
      for (const command of ['lock', 'build']) expect(run(root, [command])).toMatchObject({ status: 0 });
      const after = weigh(root, 'alert');
      const packages = ({ dependencies }: Weighed): number =>
        dependencies.filter(({ kind }) => kind === 'package').reduce((sum, one) => sum + one.unpacked, 0);
      expect(packages(before) - packages(after)).toBe(levels?.alone?.unpacked);
    },
  );

  it('is what why tells more of: who asks for a package, and as which versions', async () => {
    const root = await built();
    const { stdout } = run(root, ['why', 'alert', 'shades']);
    expect(stdout).toMatch(/^shades 1\.0\.0 {2}a package; 2 files, \d+ B\n {2}asked for by levels as \^1\.0\.0\n/);
    expect(run(root, ['why', 'alert', 'levels']).stdout).toContain('asked for by src/package.json as ^2.0.0');
  });

  it('says what could still go, and by trying how much', async () => {
    const root = await built({ trim: 'off' });
    const plain = weigh(root, 'alert').savings;
    expect(plain).toEqual(
      expect.arrayContaining([{ what: 'link', about: expect.any(String) as unknown, line: 'link: true' }]),
    );
    const tried = weigh(root, 'alert', '--further').savings.find(({ line }) => line === 'trim: traced');
    const sheet = readFileSync(join(root, 'emballage.yaml'), 'utf8');
    const before = weigh(root, 'alert').total.unpacked;
    put(root, { 'emballage.yaml': sheet.replace('"trim":"off"', '"trim":"traced"') });
    expect(run(root, ['build']).status).toBe(0);
    expect(tried?.unpacked).toBe(before - weigh(root, 'alert').total.unpacked);
    expect(tried?.unpacked).toBeGreaterThan(0);
  });

  it('records weights, and check says what made an artifact grow beyond them', async () => {
    const root = await built();
    expect(run(root, ['weigh', '--budget', '--allow', '100 B'])).toMatchObject({ status: 0, stderr: '' });
    const record = readFileSync(join(root, 'emballage.weights'), 'utf8');
    expect(record).toContain('"allow": "100 B"');
    expect(record).toContain('{"name": "levels", "version": "2.0.0", "unpacked": ');
    expect(run(root, ['check']).stdout).not.toContain('size/growth');
    put(root, { 'src/big.json': JSON.stringify('tide '.repeat(400)) });
    expect(run(root, ['build']).status).toBe(0);
    const { status, stdout } = run(root, ['check']);
    expect([status, stdout]).toEqual([1, expect.stringContaining('size/growth')]);
    expect(stdout).toMatch(/more than recorded, most of it by the function’s own \(\+1\.95 KiB\)/);
    expect(run(root, ['weigh', '--budget'])).toMatchObject({ status: 0 });
    expect(readFileSync(join(root, 'emballage.weights'), 'utf8')).toContain('"allow": "100 B"');
    expect(run(root, ['check']).stdout).not.toContain('size/growth');
    writeFileSync(join(root, 'emballage.weights'), '{"weights":1,"functions":{"alert":1}}');
    expect(run(root, ['check'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('functions.alert') as unknown,
    });
  });

  it('tells how it has grown since another build, an artifact or a waybill', async () => {
    const root = await built();
    const old = folderWith({});
    for (const name of ['alert.zip', 'alert.waybill.json'])
      copyFileSync(join(root, 'out/alert/x86_64', name), join(old, name));
    put(root, { 'src/more.json': '[1]' });
    expect(run(root, ['build']).status).toBe(0);
    for (const over of [join(old, 'alert.zip'), join(old, 'alert.waybill.json')])
      expect(weigh(root, 'alert', '--over', over).growth?.changes).toEqual([
        expect.objectContaining({ name: 'the function’s own', by: 3 }),
      ]);
    const shown = run(root, ['weigh', 'alert', '--over', root]).stdout;
    expect(shown).toContain('nothing that it is made of has changed its weight');
    expect(run(root, ['weigh', 'alert', '--over', old])).toMatchObject({ status: 2 });
    expect(run(root, ['weigh', 'alert', '--over', join(old, 'none')])).toMatchObject({ status: 2 });
  });

  it('weighs what somebody else made, and says what it does not know', () => {
    const root = folderWith({
      'other.zip': makeZip([
        { name: 'node_modules/levels/index.js', data: 'a'.repeat(500) },
        { name: 'other.dist-info/x', data: 'b' },
        { name: 'main.py', data: 'c' },
      ]),
      'cut.zip': makeZip([{ name: 'a', data: 'b' }]).subarray(0, 30),
    });
    const { stdout, status } = run(root, ['weigh', 'other.zip']);
    expect([status, stdout]).toEqual([0, expect.stringContaining('without a waybill')]);
    const other = weigh(root, 'other.zip');
    expect(other.dependencies.map(({ name, unpacked }) => [name, unpacked])).toEqual(
      expect.arrayContaining([['levels', 500]]),
    );
    expectWhole(root, other);
    expect(run(root, ['weigh', 'cut.zip'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('cut off') as unknown,
    });
    expect(run(root, ['weigh', 'gone.zip'])).toMatchObject({ status: 2 });
  });

  it('says first that a waybill is of another artifact', async () => {
    const root = await built();
    put(root, { 'out/alert/x86_64/alert.zip': makeZip([{ name: 'a', data: 'b' }]) });
    expect(run(root, ['weigh', 'alert']).stdout).toMatch(
      /^alert x86_64: .*\n {2}note its waybill is of another artifact/,
    );
    rmSync(join(root, 'out'), { recursive: true });
    expect(run(root, ['weigh', 'alert'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('emballage build alert') as unknown,
    });
  });

  it('counts each byte of an archive once, whatever its entries claim', () => {
    const root = folderWith({
      'odd.zip': makeZip([
        { name: 'a', data: 'a' },
        { name: 'a', data: 'a' },
      ]),
    });
    expectWhole(root, weigh(root, 'odd.zip'));
  });

  it('refuses what it cannot do, before it does anything', () => {
    const root = nodeProject({ 'alert.mjs': 'export const decide = () => 1;\n' });
    expect(run(root, ['build']).status).toBe(0);
    for (const args of [
      ['--allow', '5 %'],
      ['--budget', '--allow', 'much'],
      ['--report', 'page.pdf'],
      ['nobody'],
      ['alert', '--arch', 'arm64'],
      ['out/alert/x86_64/alert.zip', '--budget'],
    ])
      expect([args, run(root, ['weigh', ...args]).status]).toEqual([args, 2]);
    expect(existsSync(join(root, 'emballage.weights'))).toBe(false);
  });

  itWith('gcc')('weighs executables by section, and knows what stripping would save', () => {
    const root = nativeProject({ 'main.c': answering('puts("1");') }, { artifact: 'binary', strip: 'none' });
    expect(run(root, ['build'])).toMatchObject({ status: 0 });
    const weighed = weigh(root);
    expectWhole(root, weighed);
    expect(weighed.places.map(({ name }) => name)).toContain('.text');
    expect(weighed.parts.find(({ path }) => path === 'main')?.section).toMatch(/^\.text/);
    expect(weighed.savings.find(({ what }) => what === 'strip')?.line).toBe('strip: all');
  });

  itWithJava('weighs JARs by package', () => {
    const root = jvmProject(GAUGE_SOURCE);
    expect(run(root, ['build'])).toMatchObject({ status: 0 });
    const weighed = weigh(root);
    expectWhole(root, weighed);
    expect(weighed.places.map(({ name }) => name)).toContain('tide/');
  });

  it('weighs images by layer, with what upper layers hide', () => {
    const root = imageProject('destination: slipway\narch: [x86_64]\naccepts: { image: {} }\nruntimes: {}\n', {
      base: { layout: 'base' },
    });
    const hidden = { name: 'etc/table', data: 'x'.repeat(3000) };
    layoutFolder(join(root, 'base'), [
      {
        layers: [
          [{ name: 'usr/bin/node', data: '#!/bin/sh\n', mode: 0o755 }, hidden],
          [{ name: 'etc/table', data: 'new' }],
        ],
      },
    ]);
    for (const command of ['lock', 'build']) expect(run(root, [command])).toMatchObject({ status: 0 });
    const weighed = weigh(root);
    expectWhole(root, weighed);
    expect(weighed.layers?.map(({ wasted }) => wasted)).toEqual([3000, 0, 0]);
    expect(weighed.dependencies.map(({ kind }) => kind)).toContain('base');
  });
});
