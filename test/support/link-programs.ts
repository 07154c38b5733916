/** Programs for tests of linking. */
import type { AppOptions } from './node-app';
import type { Files } from './program';

/** Programs that show one point each of how modules behave: linked they have to answer what they answer unlinked. */
export const PROGRAMS: Readonly<Record<string, readonly [sources: Files, options?: AppOptions]>> = {
  'live bindings': [
    {
      'app.mjs':
        "import { count, bump, box } from './count.mjs';\nexport const run = () => { const before = count; bump(); return [before, count, { count }, typeof count, box.count]; };\n",
      'count.mjs':
        'export let count = 1;\nexport function bump() { count += 1; box.count = count; }\nexport const box = {};\n',
    },
  ],
  'a called import that has no this': [
    {
      'app.mjs':
        "import { self } from './self.mjs';\nimport { self as live, set } from './live.mjs';\nexport const run = () => { set(); return [self() === undefined, live() === undefined]; };\n",
      'self.mjs': 'export function self() { return this; }\n',
      'live.mjs': 'export let self;\nexport function set() { self = function () { return this; }; }\n',
    },
  ],
  'a circle of functions that are hoisted': [
    {
      'app.mjs': "import { even } from './even.mjs';\nexport const run = () => [even(10), even(7)];\n",
      'even.mjs':
        "import { odd } from './odd.mjs';\nexport function even(n) { return n === 0 || odd(n - 1); }\nexport const seen = odd(1);\n",
      'odd.mjs':
        "import { even, seen } from './even.mjs';\nexport function odd(n) { return n !== 0 && even(n - 1); }\nexport const early = () => seen;\n",
    },
  ],
  'a circle that is read too early': [
    {
      'app.mjs': "import { a } from './a.mjs';\nexport const run = () => a;\n",
      'a.mjs': "import { b } from './b.mjs';\nexport const a = b;\n",
      'b.mjs': "import { a } from './a.mjs';\nexport const b = a;\n",
    },
  ],
  'the order of effects': [
    {
      'app.mjs':
        "order.push('app');\nimport './one.mjs';\nimport two from './two.cjs';\nexport { three } from './three.mjs';\nexport const run = () => two;\n",
      'one.mjs': "import './shared.mjs';\norder.push('one');\n",
      'two.cjs': "order.push('two');\nmodule.exports = require('./four.cjs');\n",
      'three.mjs': "import './shared.mjs';\norder.push('three');\nexport const three = 3;\n",
      'four.cjs': "order.push('four');\nmodule.exports = 4;\n",
      'shared.mjs': "order.push('shared');\n",
    },
  ],
  'CommonJS as Node.js shows it to ES modules': [
    {
      'app.mjs':
        "import plain, { named, default as again } from './plain.cjs';\nimport * as space from './plain.cjs';\nimport compiled, { value } from './compiled.cjs';\nexport const run = () => [plain.named, named, again === plain, Object.keys(space), compiled.default, value, space.default === plain];\n",
      'plain.cjs': 'exports.named = 1;\nexports.other = 2;\n',
      'compiled.cjs':
        "Object.defineProperty(exports, '__esModule', { value: true });\nexports.default = 'default';\nexports.value = 'value';\n",
    },
  ],
  'what CommonJS passes on': [
    {
      'app.mjs': "import { deep, own } from './outer.cjs';\nexport const run = () => [deep, own];\n",
      'outer.cjs': "const own = 1;\nmodule.exports = { own, ...require('./inner.cjs') };\n",
      'inner.cjs': 'exports.deep = 2;\n',
    },
  ],
  'ES modules that are required': [
    {
      'app.cjs':
        "const esm = require('./esm.mjs');\nconst plain = require('./plain.mjs');\nexports.run = () => [esm.default, esm.__esModule, esm.named, Object.keys(plain)];\n",
      'esm.mjs': 'export default 1;\nexport const named = 2;\n',
      'plain.mjs': 'export const b = 1;\nexport const a = 2;\n',
    },
    { entry: 'app.cjs' },
  ],
  'CommonJS in circles': [
    {
      'app.cjs':
        "exports.early = 1;\nconst b = require('./b.cjs');\nexports.late = 2;\nexports.run = () => [b.seen(), b.first];\n",
      'b.cjs': "const a = require('./app.cjs');\nexports.first = { ...a };\nexports.seen = () => a.late;\n",
    },
    { entry: 'app.cjs' },
  ],
  'sloppy code that stays sloppy': [
    {
      'app.cjs':
        "const sloppy = require('./sloppy.cjs');\nexports.run = () => [sloppy.self(), sloppy.octal, sloppy.alias(1), typeof leaked];\n",
      'sloppy.cjs':
        'exports.self = function () { return (function () { return this === globalThis; })(); };\nexports.octal = 010;\nexports.alias = function (a) { arguments[0] = 2; return a; };\nleaked = 3;\n',
    },
    { entry: 'app.cjs' },
  ],
  'the surroundings of CommonJS': [
    {
      'app.cjs':
        "const path = require('path');\nexports.run = () => [path.basename(__filename), path.basename(__dirname) !== '', this === exports, module.exports === exports, require.main === module, typeof require.resolve, module.loaded, require('./lib/where.cjs')];\n",
      'lib/where.cjs':
        "module.exports = [require('path').basename(__dirname), require('path').basename(module.filename)];\n",
    },
    { entry: 'app.cjs' },
  ],
  'modules that await at their top': [
    {
      'app.mjs':
        "import { value } from './slow.mjs';\nimport './fast.mjs';\norder.push('app');\nexport const run = () => value;\n",
      'slow.mjs':
        "import { setTimeout } from 'node:timers/promises';\norder.push('slow begins');\nawait setTimeout(5);\norder.push('slow ends');\nexport const value = await Promise.resolve(7);\n",
      'fast.mjs': "order.push('fast');\n",
    },
  ],
  'sloppy code beside a module that awaits': [
    {
      'app.mjs':
        "import sloppy from './sloppy.cjs';\nexport const value = await sloppy();\nexport const run = () => value;\n",
      'sloppy.cjs': 'module.exports = function () { return Promise.resolve(this === undefined ? "strict" : 010); };\n',
    },
  ],
  'imports when they are asked for': [
    {
      'app.mjs':
        "export const run = async () => { order.push('asked'); const [late, again, common] = [await import('./late.mjs'), await import('./late.mjs'), await import('./common.cjs')]; return [late.default, late === again, Object.keys(late), common.default.x, common.x, late[Symbol.toStringTag]]; };\n",
      'late.mjs': "order.push('late');\nexport default class Late {}\nexport const b = 1, a = 2;\n".replace(
        'export default class Late {}',
        "export default 'late';",
      ),
      'common.cjs': "order.push('common');\nexports.x = 1;\n",
    },
  ],
  'imports by a name that is put together': [
    {
      'app.mjs':
        "export const run = async () => { const found = []; for (const tongue of ['de', 'en']) found.push((await import(`./words/${tongue}.mjs`)).default); return found; };\n",
      'words/de.mjs': "export default 'Flut';\n",
      'words/en.mjs': "export default 'flood';\n",
    },
  ],
  'requires by a name that is put together': [
    {
      'app.cjs': "exports.run = () => ['de', 'en'].map((tongue) => require('./words/' + tongue).word);\n",
      'words/de.js': "exports.word = 'Flut';\n",
      'words/en.js': "exports.word = 'flood';\n",
    },
    { entry: 'app.cjs' },
  ],
  'files beside modules': [
    {
      'app.mjs':
        "import { readFileSync } from 'node:fs';\nimport { text } from './lib/text.cjs';\nexport const run = () => [readFileSync(new URL('./data/a.txt', import.meta.url), 'utf8'), text(), import.meta.url.endsWith('/app.mjs'), import.meta.filename.endsWith('app.mjs')];\n",
      'data/a.txt': 'a\n',
      'lib/text.cjs':
        "const path = require('path');\nexports.text = () => require('fs').readFileSync(path.join(__dirname, '..', 'data', 'b.txt'), 'utf8');\n",
      'data/b.txt': 'b\n',
    },
  ],
  'a worker in a file of its own': [
    {
      'app.mjs':
        "import { Worker } from 'node:worker_threads';\nimport { twice } from './twice.mjs';\nexport const run = () => new Promise((resolve, reject) => { new Worker(new URL('./worker.mjs', import.meta.url)).once('message', (n) => resolve(twice(n))).once('error', reject); });\n",
      'worker.mjs':
        "import { parentPort } from 'node:worker_threads';\nimport { twice } from './twice.mjs';\nparentPort.postMessage(twice(4));\n",
      'twice.mjs': 'export const twice = (n) => n * 2;\n',
    },
  ],
  'a require that an ES module makes for itself': [
    {
      'app.mjs':
        "import { createRequire } from 'node:module';\nconst load = createRequire(import.meta.url);\nexport const run = () => [load('./data.json').a, load('./old.cjs')];\n",
      'data.json': '{ "a": 1 }\n',
      'old.cjs': "module.exports = 'old';\n",
    },
  ],
  JSON: [
    {
      'app.cjs':
        "const data = require('./data');\nexports.run = () => [data, data === require('./data.json'), Object.keys(require('./odd.json'))];\n",
      'data.json': '{ "a": [1, "\\u2028"], "b": null }\n',
      'odd.json': '{ "__proto__": 1, "c": 2 }\n',
    },
    { entry: 'app.cjs' },
  ],
  'default exports of every kind': [
    {
      'app.mjs':
        "import f from './f.mjs';\nimport g from './g.mjs';\nimport C from './c.mjs';\nimport value from './value.mjs';\nimport later from './later.mjs';\nexport const run = () => [f(1), g(), new C().x, value, later];\n",
      'f.mjs': 'export default function (n) { return n + 1; }\n',
      'g.mjs': 'export default () => 2\n;[1].forEach(() => 0)\n',
      'c.mjs': 'export default class { x = 3 }\n',
      'value.mjs': "const default_1 = 'own';\nexport default default_1 + '!';\n",
      'later.mjs': 'let x = 1;\nexport { x as default };\nx = 5;\n',
    },
  ],
  'namespaces of namespaces': [
    {
      'app.mjs':
        "import * as all from './all.mjs';\nimport { deep } from './all.mjs';\nexport const run = () => [Object.keys(all), all.a, all.renamed, deep.c, Object.isFrozen(all), all.missing, 'a' in all];\n",
      'all.mjs':
        "export * from './a.mjs';\nexport * from './b.mjs';\nexport { b as renamed } from './b.mjs';\nexport * as deep from './c.mjs';\nexport const own = 1;\n",
      'a.mjs': 'export const a = 1;\nexport default 9;\n',
      'b.mjs': 'export const b = 2;\n',
      'c.mjs': 'export const c = 3;\n',
    },
  ],
  'a name that two modules pass on': [
    {
      'app.mjs':
        "import * as all from './all.mjs';\nexport const run = () => [Object.keys(all), all.both, all.once];\n",
      'all.mjs': "export * from './a.mjs';\nexport * from './b.mjs';\nexport * from './again.mjs';\n",
      'a.mjs': "export const both = 'a';\nexport const once = 'once';\n",
      'b.mjs': "export const both = 'b';\n",
      'again.mjs': "export { once } from './a.mjs';\n",
    },
  ],
  'names in the way of ours': [
    {
      'app.mjs':
        "import { link, count } from './names.mjs';\nexport const run = () => { const names_ = 1, $names_ = 2, yield_ = 3; return [link(count), names_, $names_, yield_]; };\n",
      'names.mjs':
        'export let count = 1;\nexport const link = (n) => { count += n; return [count, typeof require, typeof module, typeof exports]; };\n',
    },
  ],
  'statements without semicolons': [
    {
      'app.mjs': "import { a, c } from './loose.mjs'\nexport const run = () => [a, c]\n",
      'loose.mjs':
        "export const a = 1\nconst unused = () => 0\nexport const b = 2\nexport const c = [3]\n;(() => globalThis.order.push('ran'))()\nconst gone = {}\n",
    },
  ],
  'packages for import and for require': [
    {
      'app.mjs':
        "import { kind } from 'two-faced';\nimport viaRequire from './old.cjs';\nexport const run = () => [kind, viaRequire];\n",
      'old.cjs': "module.exports = require('two-faced').kind;\n",
      'node_modules/two-faced/package.json':
        '{"name":"two-faced","exports":{"import":"./index.mjs","require":"./index.cjs"}}',
      'node_modules/two-faced/index.mjs': "export const kind = 'esm';\n",
      'node_modules/two-faced/index.cjs': "exports.kind = 'cjs';\n",
    },
  ],
  'a package that looks around where it lies': [
    {
      'app.mjs':
        "import { plugins } from 'plugged';\nimport { shared } from 'shared';\nexport const run = () => [plugins(), shared.from];\n",
      'node_modules/plugged/package.json': '{"name":"plugged","main":"index.js"}',
      'node_modules/plugged/index.js':
        "const fs = require('fs');\nrequire('shared').shared.from = 'plugged';\nexports.plugins = () => fs.readdirSync(__dirname + '/plugins').map((name) => require('./plugins/' + name)).concat(load('own'));\nfunction load(what) { return require(what === 'own' ? [__dirname, 'own.js'].join('/') : what); }\n",
      'node_modules/plugged/own.js': "module.exports = 'own';\n",
      'node_modules/plugged/plugins/a.js': "module.exports = 'a';\n",
      'node_modules/shared/package.json': '{"name":"shared","main":"index.js"}',
      'node_modules/shared/index.js': 'exports.shared = {};\n',
    },
  ],
  'an optional package that is not there': [
    {
      'app.cjs':
        "let found = 'none';\ntry { found = require('not-there'); } catch (error) { found = error.code; }\nexports.run = () => found;\n",
    },
    { entry: 'app.cjs' },
  ],
  'an error while a module runs': [
    {
      'app.mjs': "import './bad.mjs';\nexport const run = () => 1;\n",
      'bad.mjs': "throw new RangeError('too high');\n",
    },
  ],
  'TypeScript with everything that is not JavaScript': [
    {
      'app.ts':
        "import { Level, type Reading } from './types';\nimport Clock = Kinds.Clock;\nnamespace Kinds { export const Clock = 'clock'; }\nclass Gauge { constructor(private readonly cm: number, public name = 'pier') {} get level(): Level { return this.cm > 400 ? Level.High : Level.Low; } }\nconst reading = { cm: 420 } satisfies Reading;\nexport const run = (): unknown => { const gauge = new Gauge(reading.cm); return [gauge.level, Level[gauge.level], gauge.name, Clock, <number>5, gauge!.name]; };\n",
      'types.ts': 'export enum Level { Low, High }\nexport interface Reading { readonly cm: number }\n',
    },
    { entry: 'app.ts' },
  ],
  'files named by an absolute path': [
    {
      'app.cjs':
        "const fs = require('fs');\nconst path = require('path');\nexports.run = () => [require(__dirname + '/words.cjs'), ...fs.readdirSync(path.join(__dirname, 'steps')).map((name) => require(path.join(__dirname, 'steps', name)))];\n",
      'words.cjs': "module.exports = 'tide';\n",
      'steps/a.cjs': "module.exports = require('../words.cjs') + 'a';\n",
      'steps/b.cjs': "module.exports = 'b';\n",
    },
    { entry: 'app.cjs' },
  ],
  'a package that a text names': [
    {
      'app.mjs': "import { use } from 'views';\nexport const run = () => use('painter', 'painter/brush');\n",
      'package.json': '{"type":"module","dependencies":{"views":"1","painter":"1"}}',
      'node_modules/views/package.json': '{"name":"views","main":"index.js"}',
      'node_modules/views/index.js': 'exports.use = (...names) => names.map((name) => require(name).kind);\n',
      'node_modules/painter/package.json': '{"name":"painter","main":"index.js"}',
      'node_modules/painter/index.js': "exports.kind = 'painter';\n",
      'node_modules/painter/brush.js': "exports.kind = 'brush';\n",
    },
  ],
  'names of a branch that does not run': [
    {
      'app.mjs': "import { make } from 'paper';\nexport const run = () => make();\n",
      'node_modules/paper/package.json': '{"name":"paper","main":"index.js"}',
      'node_modules/paper/index.js':
        "if (process.env.NODE_ENV !== 'development') module.exports = require('./small.js');\nelse module.exports = require('./whole.js');\n",
      'node_modules/paper/small.js': "(function () { exports.make = function () { return 'made'; }; })();\n",
      'node_modules/paper/whole.js': "exports.make = function () { return 'made'; };\n",
    },
    { nodeEnv: 'production' },
  ],
};
