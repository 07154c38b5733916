import { join } from 'node:path';
import { packApp, runModules, type App } from '../../../../../test/support/node-app';
import { PROGRAMS } from '../../../../../test/support/link-programs';
import type { Files } from '../../../../../test/support/program';

const NAMES = Object.keys(PROGRAMS);
interface Packed {
  readonly plain: App;
  readonly linked: App;
  readonly small: App;
}
const packed = new Map<string, Packed>();

beforeAll(async () => {
  for (const name of NAMES) {
    const [sources, options = {}] = PROGRAMS[name] ?? [{}];
    packed.set(name, {
      plain: await packApp(sources, { ...options, link: false }),
      linked: await packApp(sources, { ...options }),
      small: await packApp(sources, { ...options, minify: true }),
    });
  }
});

describe('linked modules do what they do as files', () => {
  let outcomes: Record<string, ReturnType<typeof runModules>> = {};

  beforeAll(() => {
    const all = [...packed].flatMap(([name, { plain, linked, small }]) => {
      const [, options] = PROGRAMS[name] ?? [{}];
      const { entry = 'app.mjs' } = options ?? {};
      // What needs no compiler is also run as it was written.
      const written = entry.endsWith('.ts') ? join(plain.packed, plain.assembled.entryFile) : join(plain.source, entry);
      return [written, ...[plain, linked, small].map(({ packed: at, assembled }) => join(at, assembled.entryFile))];
    });
    const found = runModules(all, ['--experimental-require-module']);
    outcomes = Object.fromEntries(NAMES.map((name, i) => [name, found.slice(4 * i, 4 * i + 4)]));
  });

  it.each(NAMES)('%s', (name) => {
    const [written, plain, linked, small] = (outcomes[name] ?? []).map(({ stack: _stack, ...rest }) => rest);
    expect(written).toBeDefined();
    // Node.js 23 and later show ES modules one more name of CommonJS; what is linked here is for an earlier one.
    const asBefore = (value: unknown): unknown => JSON.parse(JSON.stringify(value).replaceAll('"module.exports",', ''));
    const [asWritten, asPlain] = [written, plain].map(asBefore);
    expect({ plain: asPlain, linked, small }).toEqual({ plain: asWritten, linked: asWritten, small: asWritten });
  });
});

describe('a linked file', () => {
  it('has a line with the path of each module, its text as it was, and nothing that is not used', async () => {
    const { files, assembled } = await packApp({
      'app.mjs':
        "// The entry.\nimport { used } from './part.mjs';\n\n/** Called by the host. */\nexport function run() {\n  return used();\n}\n",
      'part.mjs':
        "import { helper } from './helper.mjs';\nimport { gone } from './gone.mjs';\nexport const used = () => helper('x');\nexport const unused = () => gone();\nexport class Unused { static x = /* @__PURE__ */ gone(); }\n",
      'helper.mjs':
        "/** Kept with what it uses. */\nexport const helper = (text) => mark + text;\nconst mark = '>';\nconst other = [1];\n",
      'gone.mjs': "export const gone = () => 'gone';\n",
    });
    expect(Object.keys(files)).toEqual(['app.cjs']);
    const own = files['app.cjs']?.slice(files['app.cjs'].indexOf('// ---')).split('return start(')[0];
    expect(own).toBe(
      `// --- helper.mjs ---
esm('helper.mjs', '', {}, {}, 0, function* (link) {
'use strict';
link.exports({
  helper: () => helper,
});
yield;
/** Kept with what it uses. */
export const helper = (text) => mark + text;
const mark = '>';
});

// --- part.mjs ---
esm('part.mjs', '', { './helper.mjs': 'helper.mjs' }, {}, 0, function* (link) {
'use strict';
link.exports({
  used: () => used,
});
yield;
const { helper } = link.get('./helper.mjs');
export const used = () => helper('x');
});

// --- app.mjs ---
esm('app.mjs', '', { './part.mjs': 'part.mjs' }, {}, 0, function* (link) {
'use strict';
link.exports({
  run: () => run,
});
yield;
const { used } = link.get('./part.mjs');
/** Called by the host. */
export function run() {
  return used();
}
});
`.replaceAll('\nexport ', '\n'),
    );
    expect(assembled.linked.map(({ file, reason }) => [file.path, reason])).toEqual([
      ['helper.mjs', { why: 'imported', by: 'part.mjs' }],
      ['part.mjs', { why: 'imported', by: 'app.mjs' }],
      ['app.mjs', { why: 'entry' }],
    ]);
    expect(assembled.dropped).toEqual(['gone.mjs']);
  });

  it('leaves out modules whose package says that loading them has no effect', async () => {
    const sources = (sideEffects: string): Files => ({
      'app.mjs': "import { a } from 'many';\nexport const run = () => a;\n",
      'node_modules/many/package.json': `{"name":"many","type":"module","exports":"./index.js","sideEffects":${sideEffects}}`,
      'node_modules/many/index.js': "export { a } from './a.js';\nexport { b } from './b.js';\nimport './loud.js';\n",
      'node_modules/many/a.js': 'export const a = 1;\n',
      'node_modules/many/b.js': "console.error('b');\nexport const b = 2;\n",
      'node_modules/many/loud.js': 'globalThis.loud = true;\n',
    });
    const linked = async (sideEffects: string): Promise<string[]> =>
      (await packApp(sources(sideEffects))).assembled.linked.map(({ file }) =>
        file.path.replace('node_modules/many/', ''),
      );
    expect(await linked('false')).toEqual(['a.js', 'app.mjs']);
    expect(await linked('["./loud.js", "*.css"]')).toEqual(['a.js', 'app.mjs']);
    expect(await linked('true')).toEqual(['a.js', 'b.js', 'loud.js', 'index.js', 'app.mjs']);
  });

  it('follows the value of NODE_ENV that is set, and both ways where none is', async () => {
    const sources = {
      'app.cjs':
        "const dev = process.env.NODE_ENV !== 'production';\nif (process.env.NODE_ENV === 'production') exports.run = require('./fast.cjs'); else exports.run = require('./checked.cjs');\nif (dev && require('./tools.cjs')) exports.more = 1;\n",
      'fast.cjs': 'module.exports = () => 1;\n',
      'checked.cjs': 'module.exports = () => 2;\n',
      'tools.cjs': 'module.exports = 3;\n',
    };
    const linked = async (nodeEnv?: string): Promise<string[]> => {
      const { assembled } = await packApp(sources, { entry: 'app.cjs', ...(nodeEnv !== undefined && { nodeEnv }) });
      return assembled.linked.map(({ file }) => file.path);
    };
    expect(await linked('production')).toEqual(['fast.cjs', 'app.cjs']);
    expect(await linked('test')).toEqual(['checked.cjs', 'tools.cjs', 'app.cjs']);
    expect(await linked()).toEqual(['fast.cjs', 'checked.cjs', 'tools.cjs', 'app.cjs']);
  });

  it.each([
    [
      'a name that is not exported',
      {
        'app.mjs': "import { hight } from './a.mjs';\nexport const run = () => hight;\n",
        'a.mjs': 'export const height = 1;\n',
      },
      'did you mean `height`?',
    ],
    [
      'a name that CommonJS does not show',
      {
        'app.mjs': "import { made } from './a.cjs';\nexport const run = () => made;\n",
        'a.cjs': "exports['ma' + 'de'] = 1;\n",
      },
      'import its default and take the name from that',
    ],
  ])('is refused for %s', async (_name, sources, mend) => {
    await expect(packApp(sources)).rejects.toMatchObject({
      code: 'MODULE_INVALID',
      facts: { where: 'app.mjs', mend },
    });
  });
});
