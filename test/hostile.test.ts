/** Inputs that once crashed a reader or held it up, kept small. `npm run fuzz` looks for more. */
import { spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { stackLayers } from '../src/core/formats/oci';
import { readExpression } from '../src/core/formats/licence-expression';
import { readsOf } from '../src/core/events/reads';
import { compareVersions } from '../src/core/languages/jvm/maven';
import { contentHash } from '../src/core/languages/dotnet/packages/content-hash';
import { parseRange } from '../src/core/languages/dotnet/packages/version';
import { readDepsFile } from '../src/core/languages/dotnet/published/deps-file';
import { readRuntimeConfig } from '../src/core/languages/dotnet/published/runtime-config';
import { parseMetadata } from '../src/core/languages/python/wheel/metadata';
import { markerEnvironment, pythonTarget } from '../src/core/languages/python/versions/environment';
import { readPylock } from '../src/core/languages/python/locks/pylock';
import { readRecord } from '../src/core/languages/python/wheel/record';
import { readRequirementsFile } from '../src/core/languages/python/locks/requirements-txt';
import { readModuleFacts } from '../src/core/languages/python/trace/module-facts';
import { readCargoLock } from '../src/core/languages/rust/locks/cargo-lock';
import { readPage } from '../src/core/languages/python/sources/index-pages';
import { readNetrc } from '../src/core/toolchains/credentials';
import { readYaml } from '../src/core/sheet/text/yaml';
import { codeOf } from './support/data';
import { folderWith, project, run } from './support/program';
import { makeZip } from './support/zip-bytes';

const FILE = { kind: 'file', mode: 0o644, uid: 0, gid: 0, mtimeSeconds: 0, size: 1 } as const;

describe('names that every object has', () => {
  it('are versions and words like others', () => {
    expect(compareVersions('1.constructor', '1')).toBeGreaterThan(0);
    expect(compareVersions('1-__proto__', '1-__proto__')).toBe(0);
    expect(readExpression('constructor')).toBeUndefined();
    const file = { path: 'r', read: () => '--constructor\n', shown: (path: string) => path };
    expect(readRequirementsFile(file).problems).toHaveLength(1);
  });
});

describe('what took for ever', () => {
  it.each<[string, () => unknown]>([
    ['quotes in RECORD', () => readRecord('"'.repeat(100_001))],
    ['spaces in a range', () => parseRange(`[1${' '.repeat(100_000)}`)],
    ['brackets in a sheet', () => readYaml(`a: ${'['.repeat(30)}`, 's')],
    ['many parts of a version', () => compareVersions('1-'.repeat(50_000), '1')],
    [
      'breaks in what a wheel requires',
      () => parseMetadata(`Name: a\nVersion: 1\nRequires-Dist: b${' '.repeat(2e6)}(x\n`),
    ],
    ['empty lines among logins', () => readNetrc(`machine a\n${'\n'.repeat(2e6)}login b`)],
    [
      'a name without an end in Python',
      () => readModuleFacts(`from . import ${'a'.repeat(1e6)}\nfrom ${'.'.repeat(1e6)}\n`),
    ],
    [
      'tables of other kinds',
      () =>
        readPylock(
          'lock-version = {}\npackages = [[], {name = "a", version = "1", wheels = [3]}]',
          'p',
          markerEnvironment(pythonTarget('x86_64', '3.11', {})),
        ),
    ],
    ['crates of other kinds', () => readCargoLock('[[package]]\nname = "a"\nversion = "1"\nsource = []', 'Cargo.lock')],
    ['levels of JSON', () => readRuntimeConfig('['.repeat(50_000))],
  ])('%s: it is told', (_what, call) => {
    expect(call).not.toThrow();
  });
});

it('what is said of deep code does not depend on the thread that reads it', () => {
  const deep = [
    `export const a = () => b${'.c'.repeat(20_000)};\n`,
    `export default ${'['.repeat(3000)}${']'.repeat(3000)};\n`,
    `export const d = () => { ${'if (a) {} else '.repeat(6000)}{} };\n`,
  ];
  const files = Object.fromEntries(deep.map((text, i) => [`deep${String(i)}.mjs`, text]));
  // As many as threads pay for.
  const more = Object.fromEntries(Array.from({ length: 200 }, (_, i) => [`m${String(i)}.mjs`, 'export {};\n']));
  const names = [...Object.keys(files), ...Object.keys(more)];
  const entry = `${names.map((name) => `import './${name}';\n`).join('')}export const sound = () => 1;\n`;
  const built = ['1', '2'].map((jobs) => {
    const root = project({ ...files, ...more, 'horn.mjs': entry }, { trim: 'traced' });
    expect(run(root, ['build', '--jobs', jobs])).toMatchObject({ status: 0, stderr: '' });
    return readFileSync(join(root, 'out/horn/arm64/horn.waybill.json'), 'utf8');
  });
  expect(built[0]).toContain('deep2.mjs');
  expect(built[1]).toBe(built[0]);
});

it('a page of an index leads to no file of this machine', () => {
  const url = 'https://tides.fernhaven.example/simple/a/';
  const files = ['file:///etc/hostname', 'a-1.0-py3-none-any.whl', 'http://[', 'ftp://x/a.whl'];
  const json = {
    meta: { 'api-version': '1.1' },
    files: files.map((one) => ({ filename: 'a.whl', url: one, hashes: {} })),
  };
  const pages = [
    { contentType: 'application/vnd.pypi.simple.v1+json', text: JSON.stringify(json) },
    { contentType: 'text/html', text: files.map((one) => `<a href="${one}">a.whl</a>`).join('') },
    { contentType: 'text/html', text: '<base href="file:///etc/"><a href="hostname">a.whl</a>' },
  ];
  const found = pages.map(({ contentType, text }) =>
    readPage({ url, contentType, bytes: Buffer.from(text) }, 'asking').map((one) => one.url),
  );
  expect(found).toEqual([[`${url}a-1.0-py3-none-any.whl`], [`${url}a-1.0-py3-none-any.whl`], [`${url}hostname`]]);
});

it('levels without an end are refused', () => {
  expect(codeOf(() => readDepsFile('{"a":'.repeat(50_000), 'd'))).toBe('PACKAGE_INVALID');
  expect(typeof readRuntimeConfig('[{'.repeat(50_000))).toBe('string');
  expect(readYaml(`a: ${'[{'.repeat(20)}`, 's').problems[0]?.expected).toBe('data with an end');
});

it('an alias that leads nowhere is told, and a mapping as a key', () => {
  expect(readYaml('keep: *nope', 's').problems[0]).toMatchObject({ found: '`*nope`, which leads nowhere' });
  expect(readYaml('? { a: b }\n: c', 's').problems[0]).toMatchObject({ found: 'a mapping or a list' });
});

it('pages that hold nothing, and percent signs that are none', () => {
  const page = (text: string, contentType: string) => ({
    bytes: Buffer.from(text),
    contentType,
    url: 'https://i.example/a/',
  });
  expect(codeOf(() => readPage(page('null', 'application/json'), 'asking'))).toBe('SOURCE_INVALID');
  expect(readPage(page('<a href="%zz.whl"></a>', 'text/html'), 'asking')[0]?.file).toBe('%zz.whl');
});

it('parameters that are no names', () => {
  expect(readsOf('x', '(x, *', /\.(?<name>\w+)/y)).toEqual([]);
});

it('an archive whose parts overlap has no digest', () => {
  const bytes = makeZip([{ name: '.signature.p7s', data: 'x' }]);
  bytes.writeUInt32LE(0, bytes.length - 10);
  expect(() => contentHash(bytes)).toThrow(RangeError);
});

it.each(['emballage.yaml', 's/package.json', 's/tsconfig.json'])('a pipe in place of %s is not waited for', (path) => {
  const sheet = {
    project: 'a',
    destinations: { d: 'd.yaml' },
    functions: {
      f: { source: 's', runtime: 'node 20', entry: 'a.mjs#b', artifact: 'zip', destination: 'd', arch: ['x86_64'] },
    },
  };
  const root = folderWith({
    ...(path !== 'emballage.yaml' && { 'emballage.yaml': JSON.stringify(sheet) }),
    'd.yaml': 'destination: d\narch: [x86_64]\naccepts: { zip: {} }\nruntimes: { node 20: {} }\n',
    's/a.mjs': 'export const b = () => 1;\n',
  });
  expect(spawnSync('mkfifo', [join(root, path)]).status).toBe(0);
  expect(run(root, ['build'])).toMatchObject({ status: 2 });
});

it('a pattern longer than any that is meant', () => {
  const root = project({ 'horn.mjs': '' }, { 'leave-out': ['a/'.repeat(100_000)] });
  const { status, stderr } = run(root, ['build']);
  expect([status, stderr.includes('a pattern of at most 4096 letters')]).toEqual([2, true]);
});

it('folders in a layer deeper than Linux has paths, and as deep as it has them', () => {
  const layer = (depth: number) => [{ head: { ...FILE, path: `${'d/'.repeat(depth)}x` }, at: 0 }];
  expect(codeOf(() => stackLayers([layer(20_000)], 'image'))).toBe('IMAGE_INVALID');
  const many = Array.from({ length: 2000 }, (_, depth) => layer(depth)).flat();
  expect([...stackLayers([many, many], 'image').walk()]).toHaveLength(2000 + 1999);
});
