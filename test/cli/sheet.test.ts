import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import Ajv2020 from 'ajv/dist/2020';
import { parse } from 'yaml';
import { DESTINATION, folderWith, HORN, project, run } from '../support/program';

/** A sheet, with `LINE` lines put into the function. */
const sheet = (lines: readonly string[]): string =>
  [
    'project: fernhaven-tides',
    'destinations:',
    '  slipway: slipway.yaml',
    'defaults: { destination: slipway, arch: [arm64] }',
    'functions:',
    '  horn:',
    ...lines.map((line) => `    ${line}`),
    '',
  ].join('\n');
const GOOD = ['source: src', 'runtime: node 20', 'entry: horn.mjs#sound', 'artifact: zip'];
const withSheet = (text: string | Buffer): string =>
  folderWith({ 'emballage.yaml': text, 'slipway.yaml': DESTINATION, 'src/horn.mjs': HORN });

interface Problem {
  readonly place: { readonly file: string; readonly line: number; readonly column: number };
  readonly found: string;
  readonly mend: string;
}
const problems = (root: string): string[] => {
  const { status, stdout } = run(root, ['build', '--json']);
  const { error } = JSON.parse(stdout) as { error: { problems: Problem[] } };
  expect(status).toBe(2);
  return error.problems.map(
    ({ place, found, mend }) => `${place.file}:${String(place.line)}:${String(place.column)} ${found} -> ${mend}`,
  );
};

describe('mistakes in a packing sheet', () => {
  it.each<[string, string[], string]>([
    ['an unknown key', [...GOOD, 'leave_out: []'], '11:5 `leave_out` -> did you mean `leave-out`?'],
    ['a size without its unit', [...GOOD, 'memory: 128'], '11:13 `128` -> add the unit: `128 MiB`, say'],
    ['a size in another unit', [...GOOD, 'limits: { packed: 3MB }'], '11:23 `3MB` -> write `3 MiB`'],
    [
      'a way of tracing that the language has not',
      [...GOOD, 'trim: { traced: deep }'],
      '11:21 `deep` for `node 20` -> write `trim: traced`',
    ],
    ['a time in another unit', [...GOOD, 'timeout: 30 sec'], '11:14 `30 sec` -> write `30 s`'],
    [
      'a source that is not there',
      ['source: srx', ...GOOD.slice(1)],
      '7:13 `srx`, where nothing is -> did you mean `src`?',
    ],
    [
      'a source that leaves the project',
      ['source: ../src', ...GOOD.slice(1)],
      '7:13 `../src`, which leaves it -> write a path relative to the sheet',
    ],
    [
      'a source that is absolute',
      ['source: /etc', ...GOOD.slice(1)],
      '7:13 `/etc`, which leaves it -> write a path relative to the sheet',
    ],
    [
      'a source that is a file',
      ['source: src/horn.mjs', ...GOOD.slice(1)],
      '7:13 `src/horn.mjs`, which is none -> name a folder',
    ],
    ['a missing key', GOOD.slice(1), '6:3 nothing -> add `source`'],
    [
      'an entry without its member',
      [...GOOD.slice(0, 2), 'entry: horn.mjs', 'artifact: zip'],
      '9:12 `horn.mjs` -> name the member behind `#`',
    ],
    [
      'an entry that leaves the source',
      [...GOOD.slice(0, 2), 'entry: ../a.mjs#x', 'artifact: zip'],
      '9:12 `../a.mjs` -> write the path from the source folder, with `/`',
    ],
    ['an unknown destination', [...GOOD, 'destination: slipwai'], '11:18 `slipwai` -> did you mean `slipway`?'],
    ['an unknown architecture', [...GOOD, 'arch: [arm46]'], '11:12 `arm46` -> write `arm64`'],
    [
      'a key twice',
      [...GOOD, 'source: src'],
      '11:5 it a second time; the first is on line 7 -> rename one of the two or take it out',
    ],
    [
      'a setting that is a number',
      [...GOOD, 'settings: { LEVEL: { sample: 42 } }'],
      '11:34 `42` -> put it in quotes: `"42"`',
    ],
    [
      'a setting that is sample and secret',
      [...GOOD, 'settings: { KEY: { sample: "x", secret: true } }'],
      '11:17 both -> take the sample out: a secret has no value in the sheet',
    ],
    [
      'an event file that is missing',
      [...GOOD, 'events: flood.json'],
      '11:13 `flood.json`, where nothing is -> make the file or correct the path',
    ],
    [
      'an acceptance without an end',
      [...GOOD, 'accept: [{ rule: size/packed, reason: it is meant }]'],
      '11:14 nothing -> add `until`',
    ],
  ])('%s', (_name, lines, expected) => {
    expect(problems(withSheet(sheet(lines)))).toEqual([`emballage.yaml:${expected}`]);
  });

  it('such as wrong indentation are told where they stand', () => {
    expect(problems(withSheet(sheet([...GOOD, '   memory: 1 MiB'])))[0]).toMatch(/^emballage\.yaml:1[01]:/);
  });

  it('are all told at once, also those of the destination', () => {
    const text = sheet(['source: srx', 'runtime: node20', 'entry: horn.mjs:sound', 'artifact: zip']).replace(
      'slipway.yaml',
      'other.yaml',
    );
    const root = withSheet(text);
    writeFileSync(
      join(root, 'other.yaml'),
      DESTINATION.replace('arm64]', 'arm]').replace('{module}', '{modul}').replace('node 18', 'node18'),
    );
    expect(problems(root)).toEqual([
      'emballage.yaml:7:13 `srx`, where nothing is -> did you mean `src`?',
      'emballage.yaml:8:14 `node20` -> write `node 20`',
      'emballage.yaml:9:12 `horn.mjs:sound` -> write `horn.mjs#sound`',
      'other.yaml:2:16 `arm` -> write `arm64`',
      'other.yaml:6:3 `node18` -> write it like `node 18`',
      'other.yaml:8:16 `modul` -> did you mean `module`?',
    ]);
  });

  it('in a function that stands twice are told with both places', () => {
    const once = sheet(GOOD);
    expect(problems(withSheet(`${once}  horn: {}\n`))[0]).toBe(
      'emballage.yaml:11:3 it a second time; the first is on line 6 -> rename one of the two or take it out',
    );
  });
});

describe('a sheet that cannot be read', () => {
  it.each<[string, string | Buffer, string]>([
    ['is empty', '', 'a file that holds nothing'],
    ['holds only a comment', '# soon\n', 'a file that holds nothing'],
    ['is a list', '- a\n', 'a list'],
    [
      'is not UTF-8',
      Buffer.concat([Buffer.from('project: f\n# '), Buffer.from([0xe4, 0x0a])]),
      'not UTF-8, the first on line 2, column 3',
    ],
    ['is far too big', Buffer.alloc(50 << 20, 35), '50 MiB'],
    ['repeats an anchor inside itself', 'project: &a [*a]\n', '*a, which contains itself'],
    [
      'repeats anchors without end',
      `a: &a [x]\nb: &b [*a,*a,*a,*a,*a,*a,*a,*a]\nc: &c [*b,*b,*b,*b,*b,*b,*b,*b]\nd: &d [*c,*c,*c,*c,*c,*c,*c,*c]\ne: [*d,*d,*d,*d]\n`,
      'repeated more than 1000 times',
    ],
    ['has brackets without end', `a: ${'['.repeat(100)}${']'.repeat(100)}\n`, 'more than 14 levels deep'],
    [
      'is nested without end',
      Array.from({ length: 40 }, (_, i) => `${' '.repeat(i)}a:\n`).join(''),
      'more than 32 levels deep',
    ],
  ])('because it %s', (_name, text, result) => {
    expect(run(withSheet(text), ['build'])).toMatchObject({
      status: 2,
      stdout: '',
      stderr: expect.stringContaining(result) as unknown,
    });
  });

  it('because it is not there, or is a folder', () => {
    const root = folderWith({});
    expect(run(root, ['build'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('nothing there') as unknown,
    });
    mkdirSync(join(root, 'emballage.yaml'));
    expect(run(root, ['build'])).toMatchObject({ status: 2, stderr: expect.stringContaining('a folder') as unknown });
  });

  it('because a destination is missing', () => {
    expect(problems(withSheet(sheet(GOOD).replace('slipway.yaml', 'slipwey.yaml')))).toEqual([
      'emballage.yaml:3:12 `slipwey.yaml`, where nothing is -> did you mean `slipway.yaml`?',
    ]);
  });
});

describe('the published schemas', () => {
  const schema = (name: string): object =>
    JSON.parse(readFileSync(join(__dirname, `../../schemas/${name}.schema.json`), 'utf8')) as object;
  const demo = (name: string): unknown =>
    parse(readFileSync(join(__dirname, '../../demo/fernhaven-tides', name), 'utf8'));

  it.each([
    ['sheet', 'emballage.yaml', true],
    ['sheet', 'broken.yaml', true],
    ['sheet', 'mistakes.yaml', false],
    ['destination', 'destinations/slipway.yaml', true],
  ])('%s agrees with the program on %s', (name, file, expected) => {
    expect(new Ajv2020({ strict: false }).validate(schema(name), demo(file))).toBe(expected);
  });
});

describe('a sheet that has not changed', () => {
  it('is not read again, and is when anything it was read from has', () => {
    const root = project({ 'horn.mjs': HORN });
    expect(run(root, ['build']).status).toBe(0);
    writeFileSync(join(root, 'slipway.yaml'), 'nothing of use');
    expect(run(root, ['build']).status).toBe(2);
  });
});
