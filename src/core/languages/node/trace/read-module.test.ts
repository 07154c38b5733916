import { readModuleFacts } from './read-module';

const requests = (code: string, format: 'esm' | 'cjs' = 'cjs'): string[] =>
  readModuleFacts(code, format).requests.map(
    ({ kind, specifier, guard, when, isPath }) =>
      `${kind} ${specifier}${guard === 'none' ? '' : ` (${guard})`}${when === undefined ? '' : ` when ${JSON.stringify(when)}`}${isPath === true ? ' by path' : ''}`,
  );
const unseen = (code: string, format: 'esm' | 'cjs' = 'cjs'): string[] =>
  readModuleFacts(code, format).unseen.map(({ line, what }) => `${String(line)}: ${what}`);

describe('what a module asks for', () => {
  it.each<[string, readonly string[]]>([
    ["require('a'); require(`./b`); require('./c' + '.js')", ['require a', 'require ./b', 'require ./c.js']],
    ["const d = './d'; require(d)", ['require ./d']],
    [
      "function f() { require('late') } try { require('maybe') } catch {}",
      ['require late (lazy)', 'require maybe (try)'],
    ],
    ["require('./locale/' + name); require(`./x/${y}/z`)", ['require-names ./locale/*', 'require-names ./x/*/z']],
    ["require('pkg/locale/' + name)", ['require-names pkg/locale/*']],
    ["require.resolve('a'); module.require('b')", ['resolve a', 'require b']],
    [
      "require(require('path').join(__dirname, 'a', 'b.js'))",
      ['file a/b.js', 'require path', 'require ./a/b.js by path'],
    ],
    [
      "const path = require('path'); fs.readFileSync(path.join(__dirname, 'data', 'a.txt'))",
      ['require path', 'file data/a.txt'],
    ],
    ['fs.readFileSync(`${__dirname}/a.txt`); fs.readFileSync(__dirname + "/b.txt")', ['file a.txt', 'file b.txt']],
    ["fs.readFileSync('./templates/a.txt'); fs.readdirSync('templates')", ['file /templates/a.txt', 'file /templates']],
    ['fs.readFileSync(`${__dirname}/words/${tongue}.json`)', ['file-names words/*.json']],
    [
      "const { join } = require('path'); const up = join(__dirname, '..'); read(join(up, 'a.txt'))",
      ['require path', 'file ../a.txt'],
    ],
    ["import('./late.mjs').then(f); import(`./words/${w}.mjs`)", ['dynamic ./late.mjs', 'require-names ./words/*.mjs']],
    ["(function (require) { require('inner') })(function () {})", []],
    ["function load(name) { return name } load('x'); var require = load; require('own')", []],
    ["new Worker('./w.js'); new Worker(path.join(__dirname, 'v.js'))", ['file /w.js', 'file v.js']],
  ])('in CommonJS: %s', (code, expected) => {
    expect([...requests(code)].sort()).toEqual([...expected].sort());
  });

  it.each<[string, readonly string[]]>([
    [
      "import a from 'a'; import * as b from './b.mjs'; export { c } from './c.mjs'; export * from 'd'; import 'e'",
      ['import a', 'import ./b.mjs', 'import ./c.mjs', 'import d', 'import e'],
    ],
    [
      "new URL('./a.txt', import.meta.url); new URL('../b.txt', import.meta.url).pathname",
      ['file a.txt', 'file ../b.txt'],
    ],
    ["import.meta.resolve('x'); read(import.meta.dirname + '/c.txt')", ['file c.txt', 'resolve x']],
    [
      "import { createRequire } from 'node:module'; const load = createRequire(import.meta.url); load('./d.json')",
      ['import node:module', 'require ./d.json'],
    ],
    [
      "import { dirname, join } from 'path'; import { fileURLToPath } from 'url'; const __dirname = dirname(fileURLToPath(import.meta.url)); read(join(__dirname, 'e.txt'))",
      ['import path', 'import url', 'file e.txt'],
    ],
    ["require('not-here')", []],
  ])('in ES modules: %s', (code, expected) => {
    expect([...requests(code, 'esm')].sort()).toEqual([...expected].sort());
  });

  it('depends on NODE_ENV where the code says so', () => {
    const code = `
if (process.env.NODE_ENV === 'production') require('./a'); else require('./b');
const isDev = process.env.NODE_ENV !== 'production';
isDev && require('./c');
isDev ? require('./d') : require('./e');
if (isDev && other) require('./f'); else require('./g');
`;
    const prod = (holds: boolean): string => `when [["production",${String(holds)}]]`;
    expect(requests(code)).toEqual([
      `require ./a ${prod(true)}`,
      `require ./b ${prod(false)}`,
      `require ./c ${prod(false)}`,
      `require ./d ${prod(false)}`,
      `require ./e ${prod(true)}`,
      `require ./f ${prod(false)}`,
      'require ./g',
    ]);
  });

  it.each<[string, readonly string[]]>([
    ['require(name)', ['1: require(name)']],
    ['\nimport(where())', ['2: import(where())']],
    ['load(require)', ['1: `require` handed on']],
    ["typeof require === 'function'; require.cache; require.main === module", []],
    ['build(__dirname)', ['1: build(__dirname)']],
    ['path.dirname(__dirname); createRequire(__filename); console.log(__filename)', []],
    ["require(cond ? './a' : './b')", ["1: require(cond ? './a' : './b')"]],
    ["function f(name) { require(name) } const name = './known'", ['1: require(name)']],
  ])('cannot be seen: %s', (code, expected) => expect(unseen(code)).toEqual(expected));
});

describe('what a module reads and needs', () => {
  it('are its settings, each with whether it can do without', () => {
    const code = `
const a = process.env.A; const b = process.env['B'] ?? 'x'; const { C, D = '1' } = process.env;
const env = process.env; use(env.E); const { env: own } = process; own.F || 1;
if (process.env.G) run(); if (process.env.H === 'on') run(); !process.env.I; process.env.J = 'set';
const k = process.env.K?.split(',');
`;
    const found = readModuleFacts(code, 'cjs').settings.map(
      ({ name, hasDefault }) => `${name}${hasDefault ? '?' : ''}`,
    );
    expect(found.sort()).toEqual(['A', 'B?', 'C', 'D?', 'E', 'F?', 'G?', 'H?', 'I?', 'K?']);
  });

  it.each<[string, number]>([
    ['a?.b', 14],
    ['a ??= 1', 15],
    ['class A { static { run() } }', 16],
    ['class A { #x; has(o) { return #x in o } }', 16],
    ['/a/v', 20],
    ['const a = 1', 0],
    ['a = 1_000', 12],
    ['a = 0xff_ff', 12],
    ["a = '1_000', b = 10", 0],
  ])('is newer syntax: %s', (code, since) => {
    expect(Math.max(0, ...readModuleFacts(code, 'cjs').syntax.map((one) => one.since))).toBe(since);
  });

  it('is told as a fault with its place and line where it is no code', () => {
    expect(readModuleFacts('const a = 1;\nconst b = ;\n', 'cjs').fault).toEqual({
      line: 2,
      column: 11,
      message: 'Unexpected token',
      text: 'const b = ;',
    });
    expect(readModuleFacts('PK\u0003\u0004\0\0', undefined).fault?.message).toBe('binary data, no code');
    expect(readModuleFacts("import a from 'a';\n", 'cjs').fault?.message).toContain("'import' and 'export'");
    expect(readModuleFacts("import a from 'a';\n", undefined)).toMatchObject({ format: 'esm' });
    expect(readModuleFacts('#!/usr/bin/env node\nreturn 1', undefined)).toMatchObject({ format: 'cjs' });
  });

  it('is not parsed where it is too big, and told so', () => {
    const facts = readModuleFacts(`var a = "${'x'.repeat(13 << 20)}"`, 'cjs');
    expect(facts.unseen[0]?.what).toBe('a file of 13 MiB, too big to be read');
  });
});

describe('what linking has to know', () => {
  const esm = (code: string): NonNullable<ReturnType<typeof readModuleFacts>['esm']> => {
    const { esm: found, fault } = readModuleFacts(code, 'esm');
    if (found === undefined) throw new Error(fault?.message);
    return found;
  };

  it('is what statements declare, use and do', () => {
    const found = esm(`import { x } from 'x';
import * as ns from 'ns';
export const a = () => x + b;
function b(c) { let x = c; return x + ns.one; }
run(a);
export default class { static y = 1 }
const { d, e: [f = b] } = g;
export { f as z };
`);
    expect(found.statements.map(({ declares, uses, isPure }) => [declares.join(), uses.join(), isPure])).toEqual([
      ['', '', false],
      ['', '', false],
      ['a', 'x,b', true],
      ['b', 'ns.one', true],
      ['', 'a', false],
      ['default_1', '', true],
      ['d,f', 'b', false],
      ['', '', true],
    ]);
    expect(found.exports).toEqual([
      { name: 'a', local: 'a' },
      { name: 'default', local: 'default_1' },
      { name: 'z', local: 'f' },
    ]);
    expect(found.uses.map(([name, uses]) => [name, uses.length])).toEqual([
      ['x', 1],
      ['ns', 1],
    ]);
  });

  it.each<[string, boolean]>([
    ['const a = new Map([[1, 2]])', true],
    ['const a = /* @__PURE__ */ make()', true],
    ['const a = make()', false],
    ['const a = b.c', false],
    ['const a = Object.freeze({ b: [1, `c`] })', true],
    ['const a = { [key()]: 1 }', false],
    ['class A extends B { static x = run() }', false],
    ['class A extends B { x = run(); get y() { return run() } }', true],
    ['const { a } = b', false],
    ['if (a) b()', false],
    ["'use strict'", true],
  ])('whether running it can be noticed: %s', (code, isPure) => expect(esm(code).statements[0]?.isPure).toBe(isPure));

  it('is where it awaits and what it assigns', () => {
    expect(esm('const a = await b; async function f() { await c }').awaits).toEqual([[10, 16, 17]]);
    expect(esm('for await (const a of b) c(a)')).toMatchObject({
      awaits: [],
      awaitsOtherwise: true,
      hasTopAwait: true,
    });
    expect(esm('let a, b = 1, c; a = 2; [c] = [1]; function d() { b++ } d = 1').assigned).toEqual(['a', 'c', 'b', 'd']);
    expect(
      esm('module.exports = require("x")')
        .commonJsNames.map(({ name }) => name)
        .sort(),
    ).toEqual(['module', 'require']);
    expect(esm("const require = make(); require('x')").commonJsNames).toEqual([]);
  });
});
