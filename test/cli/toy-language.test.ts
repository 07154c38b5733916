/** A new language is a new folder and a line in the one table; nothing else is touched. */
import { spawnSync } from 'node:child_process';
import { cpSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { environment, folderWith, put, type Outcome } from '../support/program';

const ROOT = join(__dirname, '../..');
const LANGUAGES = 'src/core/languages';

/** A copy of the house with the language of the tests in it, as CONTRIBUTING says how to add one. */
function houseWithToy(): string {
  const house = folderWith({});
  for (const name of [
    'src',
    'scripts',
    'tools',
    'bin',
    'package.json',
    'package-lock.json',
    'tsconfig.json',
    'tsconfig.build.json',
    'tsconfig.page.json',
    'tsconfig.page.json',
  ])
    cpSync(join(ROOT, name), join(house, name), { recursive: true });
  symlinkSync(join(ROOT, 'node_modules'), join(house, 'node_modules'));
  cpSync(join(ROOT, 'test/fixtures/toy-language'), join(house, LANGUAGES, 'tally'), { recursive: true });
  const table = readFileSync(join(house, LANGUAGES, 'index.ts'), 'utf8');
  const withToy = table
    .replace("import { rust } from './rust';\n", "$&import { tally } from './tally';\n")
    .replace('  native,\n', '$&  tally,\n');
  expect(withToy.length).toBe(table.length + "import { tally } from './tally';\n".length + '  tally,\n'.length);
  writeFileSync(join(house, LANGUAGES, 'index.ts'), withToy);
  return house;
}

function node(cwd: string, ...args: readonly string[]): Outcome {
  const { status, stdout, stderr } = spawnSync(process.execPath, args, {
    cwd,
    env: environment(cwd),
    encoding: 'utf8',
  });
  return { status, stdout, stderr };
}

const DESTINATION = {
  ...{ destination: 'slipway', arch: ['x86_64', 'arm64'], accepts: { zip: {} } },
  runtimes: { 'tally 1': {} },
};

function project(): string {
  return folderWith({
    'emballage.yaml': JSON.stringify({
      project: 'fernhaven-tides',
      destinations: { slipway: 'slipway.yaml' },
      defaults: { destination: 'slipway', arch: ['x86_64', 'arm64'] },
      functions: {
        level: {
          ...{ source: 'level', runtime: 'tally 1', entry: 'sum.tally', artifact: 'zip', rounding: 'up' },
          ...{ needs: ['scale@2'], sources: [{ folder: 'packages' }], events: ['event.json'] },
        },
      },
    }),
    'slipway.yaml': JSON.stringify(DESTINATION),
    'level/sum.tally': 'gauge\nswell\n',
    'packages/scale-2.tally': '10',
    'event.json': '{ "gauge": 4, "swell": 2 }',
  });
}

describe('a language that nobody knows', () => {
  let house: string;
  beforeAll(() => {
    house = houseWithToy();
    expect(node(house, 'scripts/build.mjs')).toMatchObject({ status: 0, stdout: '', stderr: '' });
  }, 180_000);

  const emballage = (root: string, ...args: readonly string[]): Outcome =>
    node(root, join(house, 'bin/emballage.js'), ...args);

  it('keeps to the plan of the house', () => {
    expect(node(house, 'tools/house.mjs')).toMatchObject({ status: 0, stderr: '' });
  });

  it('is locked, built, checked, called and proved', () => {
    const root = project();
    expect(emballage(root, 'build').stderr).toContain('emballage lock');
    expect(emballage(root, 'lock')).toMatchObject({ status: 0, stderr: '' });
    expect(readFileSync(join(root, 'emballage.lock'), 'utf8')).toContain('"tally":{"factor":10}');
    expect(emballage(root, 'build')).toMatchObject({ status: 0, stderr: '' });
    const waybill = JSON.parse(readFileSync(join(root, 'out/level/x86_64/level.waybill.json'), 'utf8')) as unknown;
    expect(waybill).toMatchObject({ runtime: 'tally 1', packages: [{ name: 'scale', tally: { factor: 10 } }] });
    expect(emballage(root, 'build').stdout).toContain('0 made, 1 unchanged');
    expect(emballage(root, 'check')).toMatchObject({ status: 0, stderr: '' });
    const tried = emballage(root, 'try', 'level', '--json');
    expect(tried).toMatchObject({ status: 0, stderr: '' });
    expect(JSON.parse(tried.stdout)).toMatchObject({ calls: [{ answer: { json: '60' } }] });
    expect(emballage(root, 'why', 'level', 'lib/scale.tally').stdout).toContain('scale 2');
    expect(emballage(root, 'toolchains').stdout).toContain('tally 1');
    expect(emballage(root, 'prove')).toMatchObject({ status: 0, stderr: '' });
  });

  it('has keys, entries, rules and mistakes of its own', () => {
    const root = project();
    put(root, { 'level/sum.tally': '' });
    emballage(root, 'lock');
    expect(emballage(root, 'build').status).toBe(0);
    expect(emballage(root, 'check').stdout).toContain('entry/empty-tally');
    const sheet = readFileSync(join(root, 'emballage.yaml'), 'utf8');
    for (const [from, to, expected] of [
      ['"rounding":"up"', '"rounding":"sideways"', '`up` or `down`'],
      ['"rounding":"up"', '"bytecode":true', 'only for Python functions'],
      ['sum.tally', 'sum.txt', '`.tally`'],
      ['tally 1', 'tallies 1', '`tally 1`'],
    ] as const) {
      writeFileSync(join(root, 'emballage.yaml'), sheet.replace(from, to));
      const { status, stderr } = emballage(root, 'build');
      expect([to, status, stderr.includes(expected) || stderr]).toEqual([to, 2, true]);
    }
  });
});
