import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { makeZip } from '../support/zip-bytes';
import { findingsOf, nodeProject } from '../support/npm';
import { folderWith, run, type Files } from '../support/program';

const OK = 'export const decide = () => 1;\n';

function built(source: Files, keys: object = {}, destination: object = {}): string[] {
  const root = nodeProject(source, { ...keys }, {}, { ...destination });
  const { status, stderr } = run(root, ['build']);
  return status === 0 ? findingsOf(root) : [stderr];
}

describe('check, on functions of Node.js', () => {
  it.each<[string, Files, object, readonly string[]]>([
    ['a file that is not there', { 'alert.mjs': `import './gone.mjs';\n${OK}` }, {}, ['stop deps/missing alert.mjs:1']],
    [
      'an entry that calls back',
      {
        'alert.mjs': "export { answer as decide } from './a.mjs';\n",
        'a.mjs': 'export const answer = (event, context, done) => done(null, 1);\n',
      },
      {},
      ['warn entry/parameters a.mjs'],
    ],
    [
      'a third parameter that need not be given, and a rest',
      { 'alert.mjs': 'export function decide({ data }, context, { log = console } = {}, ...rest) {}\n' },
      {},
      [],
    ],
    [
      'a package that nobody asked for',
      { 'alert.mjs': `import 'levels';\n${OK}` },
      {},
      ['stop deps/missing alert.mjs:1'],
    ],
    [
      'a name in other letters',
      { 'alert.mjs': `import { a } from './Surge.mjs';\n${OK}`, 'surge.mjs': 'export const a = 1;\n' },
      {},
      ['stop deps/missing alert.mjs:1'],
    ],
    [
      'what is tried only',
      { 'alert.cjs': "try { require('levels') } catch {}\nexports.decide = () => 1;\n" },
      { entry: 'alert.cjs#decide' },
      [],
    ],
    [
      'an ES module that is taken for CommonJS',
      { 'alert.cjs': `import 'fs';\n${OK}` },
      { entry: 'alert.cjs#decide' },
      ['stop entry/missing-member alert.cjs:1:1', 'stop module/format-clash alert.cjs:1:1'],
    ],
    [
      'JSON that is imported as if it were code',
      {
        'alert.mjs': `import a from './a.json';\nimport b from './a.json' with { type: 'json' };\n${OK}`,
        'a.json': '{}',
      },
      {},
      ['stop module/format-clash alert.mjs:1'],
    ],
    [
      'CommonJS in an ES module',
      { 'alert.mjs': `const fs = require('fs');\n${OK}` },
      {},
      ['stop module/format-clash alert.mjs'],
    ],
    [
      'a name that is not exported',
      { 'alert.mjs': `import { hight } from './a.mjs';\n${OK}`, 'a.mjs': 'export const height = 1;\n' },
      {},
      ['stop module/format-clash alert.mjs:1'],
    ],
    [
      'a name through others that is',
      {
        'alert.mjs': `import { a } from './all.mjs';\n${OK}`,
        'all.mjs': "export * from './a.mjs';\n",
        'a.mjs': 'export const a = 1;\n',
      },
      {},
      [],
    ],
    [
      'a circle of re-exports without an end',
      {
        'alert.mjs': `import { a } from './x.mjs';\n${OK}`,
        'x.mjs': "export * from './y.mjs';\n",
        'y.mjs': "export * from './x.mjs';\n",
      },
      {},
      ['stop module/format-clash alert.mjs:1'],
    ],
    [
      'an ES module that is required, where that does not work',
      { 'alert.cjs': "require('./a.mjs');\nexports.decide = () => 1;\n", 'a.mjs': OK },
      { entry: 'alert.cjs#decide', runtime: 'node 18' },
      ['stop module/format-clash alert.cjs:1'],
    ],
    [
      'an ES module that is required, where it does',
      { 'alert.cjs': "require('./a.mjs');\nexports.decide = () => 1;\n", 'a.mjs': OK },
      { entry: 'alert.cjs#decide', runtime: 'node 22' },
      [],
    ],
    [
      'one that awaits',
      { 'alert.cjs': "require('./a.mjs');\nexports.decide = () => 1;\n", 'a.mjs': 'export const a = await 1;\n' },
      { entry: 'alert.cjs#decide', runtime: 'node 22' },
      ['stop module/format-clash alert.cjs:1'],
    ],
    [
      'syntax that is newer',
      { 'alert.mjs': `const a = /[\\p{L}--[a-z]]/v;\n${OK}` },
      { runtime: 'node 18' },
      ['stop runtime/node-version alert.mjs:1'],
    ],
    [
      'a setting that nobody declares',
      { 'alert.mjs': `const level = process.env.LEVEL;\n${OK}` },
      {},
      ['stop settings/undeclared alert.mjs:1'],
    ],
    [
      'one with a default, and one of the system',
      { 'alert.mjs': `const a = process.env.TONE ?? 'low';\nconst b = process.env.HOME;\n${OK}` },
      {},
      ['note settings/undeclared alert.mjs:1'],
    ],
    [
      'a setting by a mistyped name',
      { 'alert.mjs': `const level = process.env.ALERT_LEVLE ?? 1;\n${OK}` },
      { settings: { ALERT_LEVEL: { sample: '1' } } },
      ['stop settings/undeclared alert.mjs:1', 'note settings/unread ALERT_LEVEL'],
    ],
    [
      'settings of what is linked',
      {
        'alert.mjs': `import { a } from './a.mjs';\nexport const decide = () => a;\n`,
        'a.mjs': 'export const a = process.env.TONE;\n',
      },
      { link: true, settings: { OTHER: { sample: 'x' } } },
      ['stop settings/undeclared a.mjs:1', 'note settings/unread OTHER'],
    ],
    [
      'what a linked module misses',
      { 'alert.mjs': `export const decide = () => import('./gone.mjs');\n` },
      { link: true },
      ['stop deps/missing alert.mjs:1'],
    ],
    [
      'imports that cannot be seen',
      { 'alert.mjs': 'export const decide = (event) => import(event.data);\n', 'other.mjs': OK },
      { trim: 'traced' },
      ['note deps/unseen-import the function'],
    ],
    [
      'a compiled file for another system',
      { 'alert.mjs': OK, 'addon.node': Buffer.from('cffaedfe07000001', 'hex'), 'old.node': Buffer.from('MZ\u0090\0') },
      {},
      ['stop arch/native-file addon.node', 'stop arch/native-file old.node'],
    ],
  ])('finds %s', (_name, source, keys, expected) => {
    expect(built(source, keys)).toEqual(expected);
  });

  it('says who asked for what is not there', () => {
    const root = nodeProject({
      'alert.mjs': `import './lib/a.mjs';\n${OK}`,
      'lib/a.mjs': "import './b.mjs';\n",
      'lib/b.mjs': "import '../Data.mjs';\n",
      'data.mjs': '',
    });
    run(root, ['build']);
    const { stdout, status } = run(root, ['check']);
    expect(status).toBe(1);
    expect(stdout).toContain('none, but `data.mjs` (asked for by alert.mjs → lib/a.mjs → lib/b.mjs)');
  });

  it('says when the source can no longer be read at the destination', () => {
    const accepts = { zip: { packed: '1 MiB', viewable: '100 B' } };
    expect(built({ 'alert.mjs': OK }, {}, { accepts })).toEqual(['note size/viewable']);
    expect(built({ 'alert.mjs': OK }, {}, { accepts: { zip: { viewable: '1 MiB' } } })).toEqual([]);
  });

  it('looks into a file that something else made', () => {
    const zip = makeZip([
      { name: 'alert.mjs', data: `import 'levels';\n${OK}` },
      { name: 'node_modules/other/package.json', data: '{}' },
    ]);
    const root = folderWith({
      'a.zip': zip,
      'd.yaml': 'destination: d\narch: [arm64]\naccepts: { zip: {} }\nruntimes: { node 20: {} }\n',
    });
    const { status, stdout } = run(root, [
      'check',
      'a.zip',
      '--at',
      'd.yaml',
      '--runtime',
      'node 20',
      '--entry',
      'alert.mjs#decide',
    ]);
    expect([status, stdout.includes('deps/missing  alert.mjs:1')]).toEqual([1, true]);
  });
});

describe('build, on modules that cannot be read', () => {
  it('refuses syntax errors of the function, each with file, line, column and the line', () => {
    const root = nodeProject(
      {
        'alert.ts': "import './a';\nimport './b.mjs';\nexport const decide = (): number => 1;\n",
        'a.ts': 'const ok = 1;\nconst level: = 2;\n',
        'b.mjs': 'let a = ;\n',
      },
      { entry: 'alert.ts#decide', trim: 'traced' },
    );
    const { status, stderr } = run(root, ['build']);
    expect(status).toBe(2);
    for (const part of [
      'src/a.ts:2:14',
      'Type expected, in `const level: = 2;`',
      'src/b.mjs:1:9',
      'Unexpected token, in `let a = ;`',
      '2 files that cannot be parsed',
    ])
      expect(stderr).toContain(part);
  });

  it('keeps as files what packages have that is no code, or far too big', () => {
    const big = `exports.word = 'big';\n// ${'x'.repeat(13 << 20)}\n`;
    const root = nodeProject(
      {
        'alert.cjs':
          "const { word } = require('big');\nlet odd = 'fine';\ntry { require('odd'); } catch (error) { odd = error.name; }\nexports.decide = () => [word, odd];\n",
        'node_modules/big/index.js': big,
        'node_modules/big/package.json': '{"name":"big"}',
        'node_modules/odd/package.json': '{"name":"odd"}',
        'node_modules/odd/index.js': Buffer.from([0, 1, 2, 0]),
      },
      { entry: 'alert.cjs#decide', link: true },
    );
    expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
    const { stdout } = run(root, ['try', 'alert', '--event', 'event.json', '--json']);
    expect((JSON.parse(stdout) as { calls: { answer: object }[] }).calls[0]?.answer).toMatchObject({
      json: '["big","SyntaxError"]',
    });
  });

  it('refuses compiler settings that cannot be read', () => {
    const root = nodeProject(
      { 'alert.ts': OK, 'tsconfig.json': '{ "extends": "./gone.json" ' },
      { entry: 'alert.ts#decide' },
    );
    expect(run(root, ['build'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('src/tsconfig.json') as unknown,
    });
  });
});

describe('why', () => {
  const SOURCE = {
    'alert.ts': "import { text } from './lib/text.js';\nexport const decide = (): string => text();\n",
    'lib/text.ts':
      "import { readFileSync } from 'node:fs';\nexport const text = (): string => readFileSync(new URL('../data/a.txt', import.meta.url), 'utf8');\n",
    'data/a.txt': 'a',
    'data/b.txt': 'b',
  };

  it('prints the chain from the entry to each file', () => {
    const root = nodeProject(SOURCE, { entry: 'alert.ts#decide', trim: 'traced' });
    run(root, ['build']);
    expect(run(root, ['why', 'alert', '*.txt']).stdout).toContain(
      'data/a.txt  1 B  from src/data/a.txt\n  alert.mjs  the entry\n    └ lib/text.mjs  imported in line 1\n      └ data/a.txt  named in the code in line 2\n',
    );
    expect(run(root, ['why', 'alert', 'b.txt'])).toMatchObject({
      status: 1,
      stdout: expect.stringContaining('nothing in out/alert/x86_64/alert.zip matches `b.txt`') as unknown,
    });
    expect(run(root, ['why', 'alert'])).toMatchObject({ status: 2 });
  });

  it('prints a way through everybody who asks, where all are wanted', () => {
    const root = nodeProject(
      {
        'alert.mjs': "import './a.mjs';\nimport './b.mjs';\nexport const decide = () => 1;\n",
        'a.mjs': "\nimport './t.mjs';\n",
        'b.mjs': "import './t.mjs';\n",
        't.mjs': '',
      },
      { trim: 'traced' },
    );
    run(root, ['build']);
    const way = (by: string, first: number, then: number): string =>
      `  alert.mjs  the entry\n    └ ${by}  imported in line ${String(first)}\n      └ t.mjs  imported in line ${String(then)}\n`;
    const { stdout } = run(root, ['why', 'alert', 't.mjs', '--all']);
    expect(stdout).toContain(`${way('a.mjs', 1, 2)}\n${way('b.mjs', 2, 1)}`);
    expect(run(root, ['why', 'alert', 't.mjs']).stdout).not.toContain('b.mjs');
  });

  it('goes on past modules that linking left out', () => {
    const root = nodeProject(
      {
        'alert.mjs': "import { a } from './all.mjs';\nexport const decide = () => a;\n",
        'package.json': '{ "sideEffects": false }',
        'all.mjs': "export { a } from './a.mjs';\n",
        'a.mjs': 'export const a = 1;\n',
      },
      { link: true },
    );
    run(root, ['build']);
    expect(run(root, ['why', 'alert', 'a.mjs']).stdout).toContain(
      'a.mjs  20 B  from src/a.mjs  inside alert.cjs\n  alert.mjs  the entry\n    └ a.mjs  imported in line 1\n',
    );
  });

  it('says so where linking makes it larger', () => {
    const source = {
      'alert.mjs': "import { table } from './table.mjs';\nexport const decide = () => table.length;\n",
      'table.mjs': `export const table = [\n${'  // a height.\n  [1, 2, 3],\n'.repeat(9000)}];\n`,
    };
    expect(built(source, { link: true })).toEqual([]);
    // What was written stands in the map once more.
    expect(built(source, { link: true, minify: true, sourcemap: 'inline' })).toEqual(['note size/linked alert.cjs']);
    // A worker is a file, and so is what it imports.
    const starting = `import { Worker } from 'node:worker_threads';\nnew Worker(new URL('./worker.mjs', import.meta.url));\n`;
    const twice = { 'alert.mjs': starting + source['alert.mjs'], 'worker.mjs': "import './table.mjs';\n" };
    expect(built({ ...source, ...twice }, { link: true })).toEqual(['note size/linked alert.cjs']);
  });

  it('knows modules inside a linked file', () => {
    const root = nodeProject(SOURCE, { entry: 'alert.ts#decide', link: true });
    run(root, ['build']);
    const { files } = JSON.parse(run(root, ['why', 'alert', 'lib/**', '--json']).stdout) as { files: object[] };
    expect(files).toMatchObject([
      { path: 'lib/text.ts', inside: 'alert.cjs', chain: [{ path: 'alert.ts' }, { path: 'lib/text.ts' }] },
    ]);
    const waybill = JSON.parse(readFileSync(join(root, 'out/alert/x86_64/alert.waybill.json'), 'utf8')) as {
      entry: object;
    };
    expect(waybill.entry).toEqual({
      declared: 'alert.ts#decide',
      loads: { file: 'alert.cjs', member: 'decide' },
      host: 'alert.cjs#decide',
    });
  });
});
