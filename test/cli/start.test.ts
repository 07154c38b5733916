/** What each command loads, held to test/start-budget.json: a start is quick because little is loaded. */
import { spawnSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { environment, folderWith, HORN, project, PROGRAM, put, start } from '../support/program';

const ROOT = join(__dirname, '../..');
const BUDGET = join(__dirname, '../start-budget.json');

/** For each command line, the most modules, and thousands of bytes of source. */
type Budget = Readonly<Record<string, readonly [modules: number, kilobytes: number]>>;

type Loaded = readonly (readonly [path: string, bytes: number])[];

interface Package {
  readonly name: string;
  readonly version: string;
}

const THROWS_ONCE =
  'if ((globalThis.times = (globalThis.times ?? 0) + 1) < 2) throw new Error(); exports.whole = true;';

/** A pack with one module, `a.js`. */
function packOf(code: string): string {
  const module = `(function (exports, require, module) { ${code}\n})`;
  const list = JSON.stringify(['a.js', 0, module.length, {}]);
  return `${String(list.length).padStart(12, '0')}${list}${module}`;
}

/** @param first the module that starts the program: every module by itself, or the pack */
function loadedBy(root: string, line: string, first = join(ROOT, 'dist/cli/start.js')): Loaded {
  const out = join(folderWith({}), 'loaded.json');
  const args = ['-r', join(ROOT, 'test/support/count-modules.js'), first, ...line.split(' ')];
  spawnSync(process.execPath, args, { cwd: root, env: { ...environment(root), LOADED: out } });
  return JSON.parse(readFileSync(out, 'utf8')) as Loaded;
}

/** The text of a budget that small changes do not go beyond. */
function withRoom(found: readonly (readonly [string, readonly [number, number]])[]): string {
  const up = (value: number, step: number): number => Math.ceil((value * 1.03) / step) * step;
  const lines = found.map(
    ([line, [modules, kilobytes]]) =>
      `  ${JSON.stringify(line)}: [${String(up(modules, 5))}, ${String(up(kilobytes, 10))}]`,
  );
  return `{\n${lines.join(',\n')}\n}\n`;
}

describe('a start', () => {
  const root = (): string => {
    const made = project({ 'horn.mjs': HORN }, {}, { 'event.json': '{ "data": { "blasts": 2 } }' });
    put(made, { 'chart.ledger': '' });
    expect(start(made, ['build']).status).toBe(0);
    // What it was built of is known to be right from the first time that it was read.
    expect(start(made, ['why', 'horn', 'horn.mjs']).status).toBe(0);
    return made;
  };
  const lines = ['--help', '--version', 'sail', 'build --sail', 'build', 'rules', 'ledger', 'why horn horn.mjs'];
  const working = [
    'weigh horn',
    'compare horn horn',
    'check horn',
    'try horn --event event.json',
    'lock',
    'toolchains',
  ];

  it('loads no more than its budget allows, for every command', () => {
    const made = root();
    const budget = JSON.parse(readFileSync(BUDGET, 'utf8')) as Budget;
    const found = [...lines, ...working].map((line) => {
      const loaded = loadedBy(made, line);
      return [line, [loaded.length, loaded.reduce((sum, [, bytes]) => sum + bytes, 0) / 1000]] as const;
    });
    // A new budget is written on purpose only.
    if (process.env.NEW_BUDGET === '1') writeFileSync(BUDGET, withRoom(found));
    const over = found.filter(([line, [modules, kilobytes]]) => {
      const [mostModules, mostKilobytes] = budget[line] ?? [0, 0];
      return modules > mostModules || kilobytes > mostKilobytes;
    });
    expect(over).toEqual([]);
    expect(Object.keys(budget)).toEqual([...lines, ...working]);
  });

  it('loads neither schemas nor a language for what needs none', () => {
    const made = root();
    for (const line of lines.filter((one) => one !== 'rules')) {
      const paths = loadedBy(made, line).map(([path]) => path.slice(ROOT.length + 1));
      expect([line, paths.filter((path) => /node_modules\/(?:zod|yaml|semver|typescript)\//.test(path))]).toEqual([
        line,
        [],
      ]);
      expect([line, paths.filter((path) => /languages\/\w+\/work\.js$/.test(path))]).toEqual([line, []]);
    }
  });

  it('reads one file for all of them', () => {
    const made = root();
    const paths = loadedBy(made, 'build', PROGRAM).map(([path]) => path.slice(ROOT.length + 1));
    expect(paths).toEqual(['bin/emballage.js', 'bin/load.js']);
  });

  it('has the licences of all packages whose code is in it', () => {
    const [head = ''] = readFileSync(join(ROOT, 'dist/program.pack'), 'latin1').split('\n(function');
    const folders = [...head.matchAll(/\["(node_modules\/(?:@[^/"]+\/)?[^/"]+)\//g)].map(([, folder = '']) => folder);
    const licences = readFileSync(join(ROOT, 'dist/licences.txt'), 'utf8');
    const packages = [...new Set(folders)].map((folder) => {
      const { name, version } = JSON.parse(readFileSync(join(ROOT, folder, 'package.json'), 'utf8')) as Package;
      return `${name} ${version}\n`;
    });
    expect(packages.length).toBeGreaterThan(50);
    expect(packages.filter((one) => !licences.includes(one))).toEqual([]);
  });

  it('is built anew when anything changes that it is made of', () => {
    const code = "import('./scripts/files.mjs').then(({ builtFrom }) => console.log(builtFrom().join('\\n')))";
    const files = spawnSync(process.execPath, ['-e', code], { cwd: ROOT, encoding: 'utf8' }).stdout.split('\n');
    for (const file of ['tsconfig.page.json', 'scripts/page.mjs', 'scripts/schemas.mjs', 'src/cli/page/page.css'])
      expect(files).toContain(file);
  });

  it('gives no half of a module that threw', () => {
    const house = folderWith({ 'dist/code.txt': 'x', 'node_modules/.keep': '' });
    put(house, { 'bin/load.js': readFileSync(join(ROOT, 'bin/load.js')), 'dist/program.pack': packOf(THROWS_ONCE) });
    const code = `const load = require('./bin/load.js'); try { load('a.js'); } catch {} console.log(load('a.js').whole)`;
    const { stdout } = spawnSync(process.execPath, ['-e', code], {
      cwd: house,
      encoding: 'utf8',
      env: { HOME: house },
    });
    expect(stdout).toBe('true\n');
  });

  it('does without what was kept of the start before, where that is damaged', () => {
    const made = root();
    const kept = (root: string) => join(environment(root).XDG_CACHE_HOME ?? '', 'emballage');
    const caches = folderWith({});
    const again = (): unknown => start(made, ['build'], { env: { XDG_CACHE_HOME: caches } });
    expect(again()).toMatchObject({ status: 0, stderr: '' });
    expect(kept(made)).not.toBe(caches);
    const [file] = spawnSync('find', [caches, '-name', 'build-*'], { encoding: 'utf8' }).stdout.split('\n');
    const bytes = readFileSync(file ?? '');
    for (const damaged of [bytes.subarray(0, 1000), Buffer.from(bytes).fill(7, 2000, 3000), Buffer.alloc(0)]) {
      writeFileSync(file ?? '', damaged);
      expect(again()).toMatchObject({ status: 0, stderr: '' });
      expect(readFileSync(file ?? '').length).toBeGreaterThan(100_000);
    }
  });
});
