import { spawnSync } from 'node:child_process';
import { existsSync, readFileSync, realpathSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { folderWith, type Files } from '../../../../../test/support/program';
import { Resolver, type TypeScriptPaths, type Way } from './resolver';

const TREE: Files = {
  'package.json': JSON.stringify({
    name: 'self',
    type: 'module',
    exports: { '.': './main.mjs', './parts/*': './lib/*.mjs', './parts/closed/*': null },
    imports: {
      '#inner': './lib/a.mjs',
      '#dep': 'plain',
      '#cond': { require: './lib/b.cjs', import: './lib/a.mjs' },
      '#all/*.js': './lib/*.mjs',
    },
  }),
  'main.mjs': '',
  'lib/a.mjs': '',
  'lib/b.cjs': '',
  'lib/c.js': '',
  'lib/d.json': '{}',
  'lib/closed/x.mjs': '',
  'lib/folder/index.js': '',
  'lib/withmain/package.json': '{"main":"./start"}',
  'lib/withmain/start.js': '',
  'lib/caf\u00e9.mjs': '',
  'lib/per%20cent.mjs': '',
  'node_modules/plain/package.json': '{"main":"lib/index"}',
  'node_modules/plain/lib/index.js': '',
  'node_modules/plain/extra.js': '',
  'node_modules/plain/extra/index.js': '',
  'node_modules/nomain/index.js': '',
  'node_modules/nomain/package.json': '{}',
  'node_modules/badmain/package.json': '{"main":"./gone.js"}',
  'node_modules/badmain/index.js': '',
  'node_modules/@scope/pkg/package.json': JSON.stringify({
    exports: {
      '.': { node: { import: './esm.mjs', require: './cjs.cjs' }, default: './browser.js' },
      './features/*.js': './features/*.js',
      './features/private/*': null,
      './deep/*': { import: './features/*.js', default: './other/*.js' },
      './list': ['not-valid', './cjs.cjs'],
      './odd': './gone.js',
    },
  }),
  'node_modules/@scope/pkg/esm.mjs': '',
  'node_modules/@scope/pkg/cjs.cjs': '',
  'node_modules/@scope/pkg/browser.js': '',
  'node_modules/@scope/pkg/features/x.js': '',
  'node_modules/@scope/pkg/features/y/z.js': '',
  'node_modules/@scope/pkg/features/private/p.js': '',
  'node_modules/@scope/pkg/other/x.js': '',
  'node_modules/sugar/package.json': '{"exports":"./only.js"}',
  'node_modules/sugar/only.js': '',
  'node_modules/outer/package.json': '{"main":"index.js"}',
  'node_modules/outer/index.js': '',
  'node_modules/outer/node_modules/plain/package.json': '{"main":"nested.js"}',
  'node_modules/outer/node_modules/plain/nested.js': '',
  'node_modules/addon/package.json': '{"main":"build/addon"}',
  'node_modules/addon/build/addon.node': '',
};

const SPECIFIERS = [
  './main.mjs',
  './lib/a.mjs',
  './lib/a',
  './lib/c',
  './lib/c.js',
  './lib/d',
  './lib/d.json',
  './lib/folder',
  './lib/folder/',
  './lib/withmain',
  './lib',
  '.',
  './',
  '..',
  './lib/../main.mjs',
  './gone',
  './lib/caf%C3%A9.mjs',
  './lib/caf\u00e9.mjs',
  './lib/per%2520cent.mjs',
  './main.mjs?x=1#y',
  'plain',
  'plain/extra',
  'plain/extra.js',
  'plain/package.json',
  'plain/lib',
  'plain/lib/index.js',
  'nomain',
  'badmain',
  'outer',
  'addon',
  '@scope/pkg',
  '@scope/pkg/features/x.js',
  '@scope/pkg/features/y/z.js',
  '@scope/pkg/features/private/p.js',
  '@scope/pkg/deep/x',
  '@scope/pkg/list',
  '@scope/pkg/odd',
  '@scope/pkg/esm.mjs',
  '@scope',
  'sugar',
  'sugar/only.js',
  'self',
  'self/parts/a',
  'self/parts/closed/x',
  'self/main.mjs',
  '#inner',
  '#dep',
  '#cond',
  '#all/a.js',
  '#none',
  'fs',
  'node:fs/promises',
  'test',
  'node:test',
  'nothing',
  'fs/nothing',
];

/** Node.js itself: what it finds, or what it says. */
function askNode(root: string, from: readonly string[]): Record<string, string> {
  const code = `
import { createRequire, isBuiltin } from 'node:module';
import { pathToFileURL, fileURLToPath } from 'node:url';
import { realpathSync, statSync } from 'node:fs';
const [root, from, specifiers] = JSON.parse(process.argv[2]);
const out = {};
const shown = (path) => isBuiltin(path) ? 'builtin' : path.slice(root.length + 1);
for (const file of from) {
  const require = createRequire(root + '/' + file);
  for (const specifier of specifiers) {
    try { out['require ' + file + ' ' + specifier] = shown(require.resolve(specifier)); } catch { out['require ' + file + ' ' + specifier] = 'none'; }
    try {
      const url = import.meta.resolve(specifier, pathToFileURL(root + '/' + file));
      const path = url.startsWith('node:') ? url : fileURLToPath(url);
      out['import ' + file + ' ' + specifier] = url.startsWith('node:') ? 'builtin' : statSync(path).isFile() ? shown(path) : 'none';
    } catch { out['import ' + file + ' ' + specifier] = 'none'; }
  }
}
console.log(JSON.stringify(out));`;
  const runner = join(folderWith({ 'ask.mjs': code }), 'ask.mjs');
  const flags = ['--experimental-import-meta-resolve', '--no-warnings', runner];
  const { stdout, stderr } = spawnSync(process.execPath, [...flags, JSON.stringify([root, from, SPECIFIERS])], {
    encoding: 'utf8',
  });
  if (stdout === '') throw new Error(stderr);
  return JSON.parse(stdout) as Record<string, string>;
}

function ask(resolver: Resolver, from: readonly string[]): Record<string, string> {
  const out: Record<string, string> = {};
  for (const file of from)
    for (const specifier of SPECIFIERS)
      for (const way of ['require', 'import'] as const) {
        const found = resolver.resolve(specifier, file, way);
        const shown = found.kind === 'file' ? found.path : found.kind === 'builtin' ? 'builtin' : 'none';
        out[`${way} ${file} ${specifier}`] = shown;
      }
  return out;
}

function resolverFor(root: string, typescript?: TypeScriptPaths): Resolver {
  const isFile = (path: string): boolean => existsSync(join(root, path)) && statSync(join(root, path)).isFile();
  const readText = (path: string): string => readFileSync(join(root, path), 'utf8');
  return new Resolver({
    tree: { isFile, readText },
    requiresEsm: true,
    ...(typescript !== undefined && { typescript }),
  });
}

describe('finding modules', () => {
  it('gives what Node.js gives, for every specifier, from everywhere, both ways', () => {
    const root = realpathSync(folderWith(TREE));
    const from = ['main.mjs', 'lib/a.mjs', 'node_modules/outer/index.js', 'node_modules/@scope/pkg/esm.mjs'];
    expect(ask(resolverFor(root), from)).toEqual(askNode(root, from));
  });

  it('says what is there instead', () => {
    const resolver = resolverFor(folderWith(TREE));
    const near = (specifier: string, way: Way = 'import'): unknown => resolver.resolve(specifier, 'main.mjs', way);
    expect(near('./lib/c')).toEqual({ kind: 'missing', why: 'a file', near: 'lib/c.js' });
    expect(near('plain/extra')).toMatchObject({ kind: 'missing', near: 'node_modules/plain/extra.js' });
    expect(near('../above.mjs')).toMatchObject({ why: 'a file inside the source folder; this path leads out of it' });
    expect(near('node:nothing')).toMatchObject({ why: 'a module of that name in Node.js' });
    expect(near('sugar/only.js')).toMatchObject({
      why: '`sugar/only.js` among what that package lets others import (`exports`)',
    });
  });

  it.each([
    ['./b', 'src/b.ts'],
    ['./b.js', 'src/b.ts'],
    ['./b.ts', 'src/b.ts'],
    ['./view', 'src/view.tsx'],
    ['./view.jsx', 'src/view.tsx'],
    ['./deep', 'src/deep/index.ts'],
    ['./only.mjs', 'src/only.mts'],
    ['./plain', 'src/plain.js'],
    ['@lib/x', 'lib/x.ts'],
    ['@lib/special', 'lib/special/index.ts'],
    ['shared', 'node_modules/shared/src/index.ts'],
  ])('finds what a TypeScript compiler finds: %s', (specifier, expected) => {
    const root = folderWith({
      'src/a.ts': '',
      'src/b.ts': '',
      'src/b.d.ts': '',
      'src/view.tsx': '',
      'src/deep/index.ts': '',
      'src/only.mts': '',
      'src/plain.js': '',
      'lib/x.ts': '',
      'lib/special/index.ts': '',
      'node_modules/shared/package.json': '{"main":"src/index.js"}',
      'node_modules/shared/src/index.ts': '',
    });
    const mapped = (one: string): string[] => (one.startsWith('@lib/') ? [`lib/${one.slice(5)}`] : []);
    const resolver = resolverFor(root, { isTypeScript: (path) => /\.[cm]?tsx?$/.test(path), mapped });
    expect(resolver.resolve(specifier, 'src/a.ts', 'import')).toEqual({ kind: 'file', path: expected });
  });
});
