import { findMember } from './entry';

type Modules = Readonly<Record<string, string>>;
const find = (modules: Modules, file: string, member: string) => findMember((path) => modules[path], file, member);

describe('the members of a module', () => {
  it.each<[string, Modules, string, string]>([
    ['a function', { 'a.mjs': 'export function f() {}' }, 'a.mjs', 'f'],
    ['an arrow in a const', { 'a.mjs': 'export const f = async () => 1;' }, 'a.mjs', 'f'],
    ['the default', { 'a.mjs': 'export default function () {}' }, 'a.mjs', 'default'],
    ['an export list with another name', { 'a.mjs': 'function g() {}\nexport { g as f };' }, 'a.mjs', 'f'],
    ['a destructured const', { 'a.mjs': 'export const { f, ...rest } = make();' }, 'a.mjs', 'f'],
    [
      'a re-export by name',
      { 'a.mjs': "export { g as f } from './b.mjs';", 'b.mjs': 'export function g() {}' },
      'a.mjs',
      'f',
    ],
    [
      'an import that is exported',
      { 'a.mjs': "import g from './b.mjs';\nexport { g as f };", 'b.mjs': 'export default () => 1' },
      'a.mjs',
      'f',
    ],
    [
      'everything of another',
      { 'x/a.mjs': "export * from '../b.mjs';", 'b.mjs': 'export function f() {}' },
      'x/a.mjs',
      'f',
    ],
    ['a package that is passed on', { 'a.mjs': "export { f } from 'tides';" }, 'a.mjs', 'f'],
    ['exports.f', { 'a.cjs': 'exports.f = function () {};' }, 'a.cjs', 'f'],
    ['module.exports.f', { 'a.js': "module.exports['f'] = () => 1;" }, 'a.js', 'f'],
    ['an object', { 'a.js': 'const f = () => 1;\nmodule.exports = { f, g: 2 };' }, 'a.js', 'f'],
    ['a required module', { 'a.js': "module.exports = require('./b');", 'b.js': 'exports.f = () => 1;' }, 'a.js', 'f'],
    [
      'a folder that is required',
      { 'a.js': "module.exports = { ...require('./b') };", 'b/index.js': 'exports.f = () => 1;' },
      'a.js',
      'f',
    ],
    ['compiled exports', { 'a.js': "Object.defineProperty(exports, 'f', { get() { return b.f; } });" }, 'a.js', 'f'],
    [
      'a compiled export of everything',
      { 'a.js': "__exportStar(require('./b'), exports);", 'b.js': 'exports.f = () => 1;' },
      'a.js',
      'f',
    ],
    ['module syntax in a plain .js', { 'a.js': 'export function f() {}' }, 'a.js', 'f'],
    [
      'a package of type module',
      { 'a.js': 'export function f() {}', 'package.json': '{"type":"module"}' },
      'a.js',
      'f',
    ],
    ['module.exports as the default', { 'a.cjs': 'module.exports = async () => 1;' }, 'a.cjs', 'default'],
    ['a program with #!', { 'a.mjs': '#!/usr/bin/env node\nexport function f() {}' }, 'a.mjs', 'f'],
  ])('finds %s', (_name, modules, file, member) => {
    expect(find(modules, file, member)).toMatchObject({ kind: 'found' });
  });

  it('lists what is there instead', () => {
    const modules = { 'a.mjs': "export function g() {}\nexport * from './b.mjs';", 'b.mjs': 'export const h = 1;' };
    expect(find(modules, 'a.mjs', 'f')).toEqual({ kind: 'missing', members: ['g', 'h'] });
  });

  it.each([
    ['export const f = 5;', 'a number'],
    ['export class f {}', 'a class'],
    ["import * as f from './b.mjs'; export { f };", 'a module'],
  ])('says what cannot be called: %s', (code, what) => {
    expect(find({ 'a.mjs': code }, 'a.mjs', 'f')).toEqual({ kind: 'not-callable', what });
  });

  it('tells a syntax error with its place', () => {
    expect(find({ 'a.mjs': 'export function f() {\n  return (;\n}' }, 'a.mjs', 'f')).toEqual({
      kind: 'syntax',
      file: 'a.mjs',
      fault: { line: 2, column: 11, message: 'Unexpected token' },
    });
  });

  it.each([
    ['for (const k of keys) exports[k] = make(k);', 1],
    ['const app = make();\nmodule.exports = app;', 2],
    ['module.exports = { ...others, g: 1 };', 1],
  ])('admits what reading cannot tell: %s', (code, line) => {
    expect(find({ 'a.cjs': code }, 'a.cjs', 'f')).toMatchObject({ kind: 'unseen', file: 'a.cjs', line });
  });

  it('comes back from modules that pass each other on', () => {
    const modules = { 'a.mjs': "export * from './b.mjs';", 'b.mjs': "export * from './a.mjs';" };
    expect(find(modules, 'a.mjs', 'f')).toEqual({ kind: 'missing', members: [] });
  });
});
