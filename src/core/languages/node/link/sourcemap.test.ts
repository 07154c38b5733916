import { join } from 'node:path';
import { originalPositionFor, TraceMap } from '@jridgewell/trace-mapping';
import { packApp, runModules, type App, type AppOptions } from '../../../../../test/support/node-app';

const SOURCES = {
  'package.json': '{ "type": "module" }',
  'app.ts':
    "import { check } from './lib/check.js';\n\ninterface Level {\n  readonly cm: number;\n}\n\nexport async function run(): Promise<void> {\n  const level: Level = { cm: 447 };\n  check(level.cm);\n}\n",
  'lib/check.ts':
    "import { refuse } from 'refuser';\n\nconst most: number = 420;\n// Only for the tests.\nexport function check(cm: number): void {\n  if (cm > most) refuse(`${cm} cm`);\n}\n",
  'node_modules/refuser/package.json': '{ "name": "refuser", "main": "index.js" }',
  'node_modules/refuser/index.js':
    "'use strict';\n\nexports.refuse = function refuse(what) {\n  const error = new RangeError(`too high: ${what}`);\n  throw error;\n};\n",
};

/** Frames of a stack inside a folder, mapped back: `src/app.ts:9`. */
function mappedFrames({ packed, files }: App, stack: string): string[] {
  return [...stack.matchAll(/\(?(?:file:\/\/)?(\/[^\s()]+):(\d+):(\d+)\)?/g)].flatMap(([, path = '', line, column]) => {
    if (!path.startsWith(packed)) return [];
    const inside = path.slice(packed.length + 1);
    const map = mapOf(files, inside);
    if (map === undefined) return [`${inside}:${line ?? ''}`];
    const { source, line: at } = originalPositionFor(new TraceMap(map), {
      line: Number(line),
      column: Number(column) - 1,
    });
    return [`${source ?? '?'}:${String(at)}`];
  });
}

function mapOf(files: App['files'], path: string): string | undefined {
  const [, url = ''] = /\/\/# sourceMappingURL=(\S+)\s*$/.exec(files[path] ?? '') ?? [];
  if (url.startsWith('data:')) return Buffer.from(url.slice(url.indexOf(',') + 1), 'base64').toString('utf8');
  return files[join(path, '..', url)];
}

describe('source maps', () => {
  it.each<[string, AppOptions, readonly string[]]>([
    [
      'files, in them',
      { link: false, sourcemap: 'inline' },
      ['node_modules/refuser/index.js:4', 'src/lib/check.ts:6', 'src/app.ts:9'],
    ],
    [
      'files, beside them',
      { link: false, sourcemap: 'beside' },
      ['node_modules/refuser/index.js:4', 'src/lib/check.ts:6', 'src/app.ts:9'],
    ],
    [
      'a linked file',
      { sourcemap: 'beside' },
      ['src/node_modules/refuser/index.js:4', 'src/lib/check.ts:6', 'src/app.ts:9'],
    ],
    [
      'a small one',
      { sourcemap: 'inline', minify: true },
      ['src/node_modules/refuser/index.js:4', 'src/lib/check.ts:6', 'src/app.ts:9'],
    ],
  ])('lead from what is thrown in %s back to what was written', async (_name, options, expected) => {
    const app = await packApp(SOURCES, { entry: 'app.ts', ...options });
    const [outcome] = runModules([join(app.packed, app.assembled.entryFile)]);
    expect(outcome?.error).toBe('RangeError: too high: 447 cm');
    expect(mappedFrames(app, outcome?.stack ?? '').slice(0, 3)).toEqual(expected);
  });

  it('hold what was written, and are not there where none are wanted', async () => {
    const { files } = await packApp(SOURCES, { entry: 'app.ts', sourcemap: 'beside' });
    const map = JSON.parse(files['app.cjs.map'] ?? '{}') as { sources: string[]; sourcesContent: string[] };
    expect(map.sourcesContent[map.sources.indexOf('src/app.ts')]).toBe(SOURCES['app.ts']);
    const without = await packApp(SOURCES, { entry: 'app.ts' });
    expect(Object.keys(without.files)).toEqual(['app.cjs']);
    expect(without.files['app.cjs']).not.toContain('sourceMappingURL');
  });
});
