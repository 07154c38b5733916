import { cpSync, readFileSync, rmSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { nodeProject } from '../support/npm';
import { CODE_FOLDER, folderWith, put, run, type Files } from '../support/program';

const FUNCTION: Files = {
  'src/alert.mjs': `import { level } from './level.mjs';
import limits from './limits.json' with { type: 'json' };
import say from './say.cjs';
import { tone } from './tone.ts';
export const decide = () => say(level(2) * limits.most) + tone;
`,
  'src/level.mjs': `import { scale, shift } from './scale.mjs';
// Metres to centimetres.
export function level(metres) {
  return metres * scale;
}
export const unused = () => shift;
`,
  'src/scale.mjs': 'export const scale = 100;\nexport const shift = process.env.SHIFT;\n',
  'src/say.cjs': "module.exports = (text) => 'level ' + text;\n",
  'src/limits.json': '{ "most": 3 }\n',
  'src/tone.ts': "export const tone: string = ' calm';\n",
  'src/asks.mjs': 'export const asked = 1;\n',
};

const UNREACHED = 'a file that nobody reaches';

/** Edits that leave every module's shape as it is: what is linked before them is used again. */
const KEPT: Readonly<Record<string, Files>> = {
  'a value': { 'src/scale.mjs': 'export const scale = 1000;\nexport const shift = process.env.SHIFT;\n' },
  'lines that move, with a setting': {
    'src/scale.mjs': '\n\n\n// More.\nexport const scale = 10;\nexport const shift = process.env.SHIFT;\n',
  },
  'the body of a function': {
    'src/level.mjs': `import { scale, shift } from './scale.mjs';
export function level(link) {
  const link2 = link + 1;
  return (() => link2 * scale)();
}
export const unused = () => shift;
`,
  },
  CommonJS: { 'src/say.cjs': "module.exports = (text) => __filename.slice(0, 0) + 'height ' + text;\n" },
  JSON: { 'src/limits.json': '{ "most": 4, "__proto__": 1 }\n' },
  TypeScript: { 'src/tone.ts': "export const tone: string = ' rough' as const;\n" },
  'two files': { 'src/tone.ts': "export const tone = ' rough';\n", 'src/limits.json': '{ "most": 9 }\n' },
  [UNREACHED]: { 'src/asks.mjs': 'export const asked = 2;\n' },
};

const WHOLE: Readonly<Record<string, Files>> = {
  'an import more': {
    'src/say.cjs': "const { asked } = require('./asks.mjs');\nmodule.exports = (text) => 'level ' + text + asked;\n",
  },
  'an export that is used now': {
    'src/level.mjs': `import { scale, shift } from './scale.mjs';
export function level(metres) {
  return metres * scale + String(shift);
}
export const unused = () => shift;
`,
  },
  'an effect': {
    'src/scale.mjs': 'console.log(1);\nexport const scale = 100;\nexport const shift = process.env.SHIFT;\n',
  },
  'a package.json': { 'src/package.json': '{ "type": "module" }\n' },
  'a file more': { 'src/more.txt': 'more' },
  'a setting of the compiler': { 'src/tsconfig.json': '{ "compilerOptions": { "removeComments": true } }\n' },
};

function project(keys: Readonly<Record<string, unknown>> = {}): string {
  const source = Object.fromEntries(Object.entries(FUNCTION).map(([path, text]) => [path.slice('src/'.length), text]));
  const root = nodeProject(source, { link: true, ...keys });
  expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
  return root;
}

/** What a fresh checkout of the same files gives. */
function fresh(root: string): string {
  const copy = folderWith({});
  cpSync(root, copy, { recursive: true });
  for (const folder of ['out', '.emballage']) rmSync(join(copy, folder), { recursive: true });
  expect(run(copy, ['build'])).toMatchObject({ status: 0, stderr: '' });
  return copy;
}

const NAMES = ['alert.zip', 'alert.waybill.json'];
const outputs = (root: string): Buffer[] => NAMES.map((name) => readFileSync(join(root, 'out/alert/x86_64', name)));
const memory = (root: string): number => statSync(join(root, '.emballage', CODE_FOLDER, 'links/alert.x86_64.json')).ino;

describe('linking again after an edit', () => {
  let root: string;
  let before: Buffer[];
  let linked: number;
  beforeAll(() => {
    root = project();
    before = outputs(root);
    linked = memory(root);
  });

  it.each(Object.keys(KEPT))('writes only the changed part anew, and gives the bytes of a fresh link: %s', (name) => {
    put(root, { ...FUNCTION, ...KEPT[name] });
    expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
    expect(memory(root)).toBe(linked);
    expect(outputs(root)).toEqual(outputs(fresh(root)));
    expect(outputs(root)[0]?.equals(before[0] ?? Buffer.alloc(0))).toBe(name === UNREACHED);
  });

  it.each(Object.keys(WHOLE))('links everything where more has changed: %s', (name) => {
    const own = project();
    const first = memory(own);
    put(own, WHOLE[name] ?? {});
    expect(run(own, ['build'])).toMatchObject({ status: 0, stderr: '' });
    expect(memory(own)).not.toBe(first);
    expect(outputs(own)).toEqual(outputs(fresh(own)));
  });

  it.each([{ minify: true }, { sourcemap: 'beside' }, { minify: true, sourcemap: 'inline' }])(
    'makes small and maps only what has changed, with the bytes of a fresh link: %j',
    (keys) => {
      const own = project(keys);
      const first = memory(own);
      for (const name of ['a value', 'the body of a function', 'lines that move, with a setting', 'two files']) {
        put(own, { ...FUNCTION, ...KEPT[name] });
        expect(run(own, ['build'])).toMatchObject({ status: 0, stderr: '' });
        expect(memory(own)).toBe(first);
        expect(outputs(own)).toEqual(outputs(fresh(own)));
      }
    },
  );

  it('tells of what cannot be read any more, and of a memory that is cut off', () => {
    const own = project();
    put(own, { 'src/tone.ts': 'export const tone = ;\n' });
    expect(run(own, ['build'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('src/tone.ts:1:') as unknown,
    });
    const path = `.emballage/${CODE_FOLDER}/links/alert.x86_64.json`;
    put(own, { [path]: readFileSync(join(own, path), 'utf8').slice(0, -20) });
    put(own, { 'src/tone.ts': "export const tone = ' rough';\n" });
    expect(run(own, ['build'])).toMatchObject({ status: 0, stderr: '' });
    expect(outputs(own)).toEqual(outputs(fresh(own)));
  });
});
