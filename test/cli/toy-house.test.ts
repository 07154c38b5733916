/** A new language, form or way of delivery is a new folder and a line in its one table; nothing else is touched. */
import { spawnSync } from 'node:child_process';
import { cpSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { environment, folderWith, put, type Outcome } from '../support/program';

const ROOT = join(__dirname, '../..');

/** What is added, as CONTRIBUTING says how: the folder, the line that imports it, and the line in the table. */
const TOYS = [
  { toy: 'toy-language', name: 'tally', in: 'src/core/languages' },
  { toy: 'toy-form', name: 'hamper', in: 'src/core/forms' },
  { toy: 'toy-way', name: 'drawer', in: 'src/core/pipeline/deliver/ways' },
];

/** A copy of the house with the toys in it. */
function houseWithToys(): string {
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
  ])
    cpSync(join(ROOT, name), join(house, name), { recursive: true });
  symlinkSync(join(ROOT, 'node_modules'), join(house, 'node_modules'));
  for (const { toy, name, in: room } of TOYS) {
    cpSync(join(ROOT, 'test/fixtures', toy), join(house, room, name), { recursive: true });
    const path = join(house, room, 'index.ts');
    const table = readFileSync(path, 'utf8');
    const withToy = table
      .replace(/^import \{ \w+ \} from '\.\/\w+';\n/m, `$&import { ${name} } from './${name}';\n`)
      .replace(/^(const TABLE[^]*?)^\};/m, `$1  ${name},\n};`);
    expect(withToy.length).toBe(table.length + `import { ${name} } from './${name}';\n  ${name},\n`.length);
    writeFileSync(path, withToy);
  }
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
  destination: 'slipway',
  arch: ['x86_64', 'arm64'],
  accepts: { zip: {}, hamper: {} },
  deliver: { drawer: 'drawer' },
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
          source: 'level',
          runtime: 'tally 1',
          entry: 'sum.tally',
          artifact: 'zip',
          rounding: 'up',
          needs: ['scale@2'],
          sources: [{ folder: 'packages' }],
          events: ['event.json'],
        },
      },
    }),
    'slipway.yaml': JSON.stringify(DESTINATION),
    'level/sum.tally': 'gauge\nswell\n',
    'packages/scale-2.tally': '10',
    'event.json': '{ "gauge": 4, "swell": 2 }',
  });
}

let house: string;
beforeAll(() => {
  house = houseWithToys();
  expect(node(house, 'scripts/build.mjs')).toMatchObject({ status: 0, stdout: '', stderr: '' });
}, 180_000);

const emballage = (root: string, ...args: readonly string[]): Outcome =>
  node(root, join(house, 'bin/emballage.js'), ...args);

const done = { status: 0, stderr: '' };

describe('a language that nobody knows', () => {
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

/** The project with its function in a hamper. */
function hamperd(lid = 'mind the tide'): string {
  const root = project();
  const sheet = readFileSync(join(root, 'emballage.yaml'), 'utf8');
  writeFileSync(join(root, 'emballage.yaml'), sheet.replace('"artifact":"zip"', `"artifact":"hamper","lid":"${lid}"`));
  expect(emballage(root, 'lock')).toMatchObject(done);
  return root;
}

const HAMPER = 'out/level/x86_64/level.hamper';
const json = ({ stdout }: Outcome): unknown => JSON.parse(stdout);

describe('a form that nobody knows', () => {
  it('is built, checked, weighed, called and proved', () => {
    const root = hamperd();
    expect(emballage(root, 'build')).toMatchObject(done);
    const bytes = readFileSync(join(root, HAMPER), 'latin1');
    expect(bytes).toBe('HAMPER mind the tide\n644 2 lib/scale.tally\n10644 12 sum.tally\ngauge\nswell\n');
    const waybill = JSON.parse(readFileSync(join(root, 'out/level/x86_64/level.waybill.json'), 'utf8')) as unknown;
    expect(waybill).toMatchObject({ form: 'hamper', made: { deflate: 'none' }, artifact: { file: 'level.hamper' } });
    expect(emballage(root, 'build').stdout).toContain('0 made, 1 unchanged');
    expect(emballage(root, 'check')).toMatchObject(done);
    const byHand = ['check', HAMPER, '--at', 'slipway', '--arch', 'x86_64', '--runtime', 'tally 1'];
    expect(emballage(root, ...byHand)).toMatchObject(done);
    expect(json(emballage(root, 'weigh', HAMPER, '--json'))).toMatchObject({
      weighed: [{ form: 'hamper', files: 2 }],
    });
    expect(json(emballage(root, 'try', 'level', '--json'))).toMatchObject({ calls: [{ answer: { json: '60' } }] });
    expect(emballage(root, 'prove')).toMatchObject(done);
  });

  it('is compared in its own terms, and has keys and mistakes of its own', () => {
    const [root, other] = [hamperd(), hamperd('high water')];
    put(other, { 'level/sum.tally': 'gauge\nebb\n' });
    for (const one of [root, other]) expect(emballage(one, 'build').status).toBe(0);
    const compared = json(emballage(root, 'compare', HAMPER, join(other, HAMPER), '--json'));
    expect(compared).toMatchObject({ a: { as: 'hamper' }, differences: [{ path: 'sum.tally', change: 'changed' }] });
    const sheet = readFileSync(join(root, 'emballage.yaml'), 'utf8');
    // Another lid, and nothing else: what is kept of earlier builds is not taken for it.
    writeFileSync(join(root, 'emballage.yaml'), sheet.replace('mind the tide', 'low water'));
    expect(emballage(root, 'build').status).toBe(0);
    expect(readFileSync(join(root, HAMPER), 'utf8')).toContain('HAMPER low water\n');
    for (const [from, to, expected] of [
      ['"artifact":"hamper"', '"artifact":"zip"', 'only for hampers'],
      ['"artifact":"hamper"', '"artifact":"binary"', '`zip` or `hamper`'],
      ['mind the tide"', 'mind the tide","layers":"one"', 'only for images'],
    ] as const) {
      writeFileSync(join(root, 'emballage.yaml'), sheet.replace(from, to));
      const { status, stderr } = emballage(root, 'build');
      expect([to, status, stderr.includes(expected) || stderr]).toEqual([to, 2, true]);
    }
  });
});

describe('a way of delivery that nobody knows', () => {
  it('sends, fetches and takes back what a form made that nobody knows', () => {
    const root = hamperd();
    expect(emballage(root, 'build')).toMatchObject(done);
    expect(emballage(root, 'send', 'level').stdout).toContain('4 sheets sent');
    expect(emballage(root, 'send', 'level').stdout).toContain('is there already');
    const ledger = JSON.parse(readFileSync(join(root, 'emballage.ledger'), 'utf8')) as unknown;
    expect(ledger).toMatchObject({ deliveries: [{ way: 'drawer', at: 'drawer', function: 'level' }] });
    const tried = emballage(root, 'try', 'level', '--sent', '--json');
    expect(json(tried)).toMatchObject({ calls: [{ answer: { json: '60' } }] });
    expect(emballage(root, 'recall', 'level').stdout).toContain('sheets deleted');
    expect(emballage(root, 'ledger').stdout).toContain('Nothing that was sent stands');
  });

  it('is named where one is missing', () => {
    const root = project();
    writeFileSync(join(root, 'slipway.yaml'), JSON.stringify({ ...DESTINATION, deliver: {} }));
    const { status, stderr } = emballage(root, 'lock');
    expect([status, stderr]).toEqual([2, expect.stringContaining('`drawer`')]);
  });
});
