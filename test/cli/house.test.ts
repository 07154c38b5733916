/** What `npm run lint` holds the code to, shown on houses that do not keep to it. */
import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { folderWith, type Files } from '../support/program';

/** The faults of each house, found in one process. */
function faultsOf(houses: readonly Files[]): string[][] {
  const tool = pathToFileURL(join(__dirname, '../../tools/house.mjs')).href;
  const roots = JSON.stringify(houses.map(folderWith));
  const code = `import(${JSON.stringify(tool)}).then((m) => console.log(JSON.stringify(${roots}.map((root) => m.faultsIn(root)))))`;
  return JSON.parse(spawnSync(process.execPath, ['-e', code], { encoding: 'utf8' }).stdout) as string[][];
}

describe('the plan of the house', () => {
  const cases: readonly (readonly [what: string, files: Files, fault: string])[] = [
    [
      'an import upwards',
      { 'core/base/a.ts': "import { b } from '../disk/b';\n", 'core/disk/b.ts': '' },
      'core/base/a.ts: imports core/disk/b.ts, which is above core/base',
    ],
    [
      'an import past a door',
      {
        'core/disk/a.ts': "const b = import('../formats/zip/b');\n",
        'core/formats/zip/b.ts': '',
        'core/formats/zip/index.ts': '',
      },
      'core/disk/a.ts: imports core/formats/zip/b.ts, past the door core/formats/zip/index.ts',
    ],
    [
      'an import of another language',
      { 'core/languages/go/a.ts': "export * from '../rust/b';\n", 'core/languages/rust/b.ts': '' },
      'core/languages/go/a.ts: imports core/languages/rust/b.ts, another language',
    ],
    [
      'a circle',
      {
        'core/base/a.ts': "import type { B } from './b';\n",
        'core/base/b.ts': "export { c } from './c';\n",
        'core/base/c.ts': "import './a';\n",
      },
      'core/base/a.ts -> core/base/b.ts -> core/base/c.ts: a circle of imports',
    ],
    [
      'a word of a language',
      { 'core/pipeline/a.ts': "\nif (id === 'python') go();\n" },
      'core/pipeline/a.ts:2: `python`, a word of a language outside core/languages',
    ],
    [
      'a choice of a form by its name',
      { 'core/pipeline/a.ts': "if (spec.form.id === 'hamper') pack();\n" },
      "core/pipeline/a.ts:1: `form.id === '`, a choice of a form by name outside core/forms",
    ],
    [
      'a choice of a way by its name',
      { 'cli/a.ts': "\nconst unit = delivery.way === 'registry' ? 'blob' : 'file';\n" },
      "cli/a.ts:2: `way === 'registry'`, a choice of a way of delivery by name outside core/pipeline/deliver/ways",
    ],
    [
      'an export that nobody is told about',
      {
        'core/base/a.ts': '/** Done. */\nexport function a(): void {}\n\nexport async function b(): Promise<void> {}\n',
      },
      'core/base/a.ts:4: `b` has no doc comment',
    ],
    [
      'a room that nobody planned',
      { 'cellar/a.ts': "import '../core/base/b';\n", 'core/base/b.ts': '' },
      'cellar/a.ts: imports core/base/b.ts, but cellar/a.ts is in no layer of the plan',
    ],
  ];
  const right: Files = {
    'core/languages/go/a.ts':
      "import '../compiled/b';\nimport './deep/c';\nimport '../../formats/zip';\nimport 'node:fs';\n",
    'core/languages/go/index.ts': "import './a';\n",
    'core/languages/compiled/b.ts': '',
    'core/languages/go/deep/c.ts': '// Python\n',
    'core/formats/zip/index.ts': "export * from './d';\n",
    'core/formats/zip/d.ts': '',
  };
  let found: string[][];
  beforeAll(() => {
    found = faultsOf([...cases.map(([, files]) => files), right]);
  });

  it.each(cases.map(([what, , fault], i) => [what, fault, i] as const))('does not bear %s', (_what, fault, i) => {
    expect(found[i]).toEqual([fault]);
  });

  it('bears imports downwards, through doors, into kits and one’s own rooms', () => {
    expect(found.at(-1)).toEqual([]);
  });
});
