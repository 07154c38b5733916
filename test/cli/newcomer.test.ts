/** What hurts in the first minutes: each is told with what to do. */
import { cpSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { spawnSync } from 'node:child_process';
import { INTAKE, LEVELS, packageFiles, packageFolder, pythonProject, startTestIndex } from '../support';
import { nodeProject } from '../support/npm';
import { folderWith, project, put, run } from '../support/program';

const HORN = { 'horn.mjs': 'export const sound = () => 1;\n' };

interface Told {
  readonly error: {
    readonly problems: readonly { readonly found: string; readonly mend: string; readonly expected: string }[];
  };
}

describe('words of the trade', () => {
  it('lead to ours: keys, architectures, forms, runtimes', () => {
    const root = folderWith({
      'emballage.yaml': `project: t
environments: { slipway: slip.yaml }
functions:
  f: { code: f, runtime: NodeJS 20.x, handler: "a.mjs#go", package: archive, architectures: [amd64], enviroment: {}, memory_size: 128 MiB, exclude: [x], dependencies: [] }
  g: { source: f, runtime: Python3.11, entry: "a.py#go", artifact: zip, arch: [aarch64, x64], destination: slipway }
  h: { source: f, runtime: golang, entry: "a.go", artifact: executable, arch: [arm64], destination: slipway }
`,
      'f/a.mjs': '',
    });
    const { error } = JSON.parse(run(root, ['build', '--json']).stdout) as Told;
    const mends = Object.fromEntries(error.problems.map(({ found, mend }) => [found, mend]));
    const meant = (word: string): string => `did you mean \`${word}\`?`;
    expect(mends).toMatchObject({
      '`environments`': meant('destinations'),
      '`code`': meant('source'),
      '`handler`': meant('entry'),
      '`package`': meant('artifact'),
      '`architectures`': meant('arch'),
      '`enviroment`': meant('settings'),
      '`memory_size`': meant('memory'),
      '`exclude`': meant('leave-out'),
      '`dependencies`': meant('needs'),
      '`NodeJS 20.x`': 'write `node 20`',
      '`Python3.11`': 'write `python 3.11`',
      '`golang`': 'write `go`',
      '`aarch64`': 'write `arm64`',
      '`x64`': 'write `x86_64`',
      '`executable`': 'write `binary`',
    });
    // What is called otherwise is not missing as well.
    expect(error.problems.map(({ expected }) => expected).filter((one) => one.includes('functions.f.source'))).toEqual(
      [],
    );
  });

  it('lead to ours in a destination', () => {
    const root = project(
      HORN,
      {},
      {
        'slipway.yaml':
          'destination: slipway\narch: [x64]\naccepts: { archive: {} }\nruntimes: { nodejs20: {}, rust: {} }\n',
      },
    );
    const { stderr } = run(root, ['build']);
    for (const part of ['write `x86_64`', 'did you mean `zip`', 'write it like `node 20`', 'write it like `native`'])
      expect(stderr).toContain(part);
  });

  it('say what a destination lacks: a C library, a runtime', async () => {
    const { url } = await startTestIndex(
      packageFolder({ ...packageFiles('wave', '1.0', { 'wave.py': '' }), 'wave-1.0/platform/x86_64/wave/x.so': 'x' }),
    );
    const root = pythonProject({ 'intake.py': INTAKE }, { needs: ['wave'], sources: [{ index: url }] }, {}, {});
    const { stderr, status } = run(root, ['lock']);
    expect(status).toBe(2);
    expect(stderr).toContain('none stated, and wave has compiled code that needs one');
    expect(stderr).toContain('write `python 3.11: { glibc: "2.36" }` under `runtimes`');
    const rust = project(
      HORN,
      {},
      { 'slipway.yaml': 'destination: slipway\narch: [arm64]\naccepts: { zip: {} }\nruntimes: { java 17: {} }\n' },
    );
    run(rust, ['build']);
    expect(run(rust, ['check']).stdout).toContain('write `node 20: {}` under `runtimes` of slipway');
  });
});

describe('several functions', () => {
  it('are settled and built although one of them cannot be', async () => {
    const { url } = await startTestIndex(packageFolder(packageFiles('levels', '1.0', { 'levels.py': LEVELS })));
    const root = pythonProject({ 'intake.py': INTAKE }, { needs: ['levels'], sources: [{ index: url }] });
    const sheet = JSON.parse(readFileSync(join(root, 'emballage.yaml'), 'utf8')) as {
      functions: Record<string, object>;
    };
    sheet.functions.afar = { ...sheet.functions.intake, needs: ['no-such-levels'] };
    sheet.functions.beyond = { ...sheet.functions.intake, needs: ['levels'] };
    put(root, { 'emballage.yaml': JSON.stringify(sheet) });
    const locked = run(root, ['lock', '--json']);
    expect([locked.status, JSON.parse(locked.stdout)]).toMatchObject([
      2,
      {
        functions: [{ name: 'intake' }, { name: 'beyond' }],
        failed: [{ name: 'afar', error: { code: 'REQUIREMENTS_IMPOSSIBLE' } }],
      },
    ]);
    const built = run(root, ['build']);
    expect(built.status).toBe(2);
    expect(built.stdout).toMatch(/intake .*built[\s\S]*beyond .*built/);
    expect(built.stderr).toContain('afar: error while looking up what afar needs');
    expect(built.stderr).toContain('1 function could not be built');
    // One that is named alone fails as before.
    expect(run(root, ['build', 'afar', '--json']).stdout).toContain('"code": "LOCK_OUTDATED"');
  });
});

describe('a project', () => {
  it('keeps what is made of it out of version control', () => {
    const root = project(HORN);
    expect(run(root, ['build'])).toMatchObject({ status: 0 });
    const git = (...args: readonly string[]) => spawnSync('git', args, { cwd: root, encoding: 'utf8' }).stdout;
    git('init', '-q');
    expect(git('status', '--porcelain')).not.toMatch(/\?\? (?:out|\.emballage)/);
    put(root, { 'out/.gitignore': '' });
    run(root, ['build']);
    expect(readFileSync(join(root, 'out/.gitignore'), 'utf8')).toBe('');
  });

  it('that was copied has not changed; one that lost its memory is told so', () => {
    const root = project(HORN);
    run(root, ['build']);
    const copy = join(folderWith({}), 'copy');
    cpSync(root, copy, { recursive: true });
    expect(run(copy, ['check']).stderr).toBe('');
    writeFileSync(join(copy, 'src/horn.mjs'), 'export const sound = () => 2;\n');
    expect(run(copy, ['check']).stderr).toContain('source or sheet changed since this was built');
    rmSync(join(copy, '.emballage'), { recursive: true });
    expect(run(copy, ['check']).stderr).toContain('nothing is remembered of its build');
  });

  it('is told what to do about files outside the source folder', () => {
    const root = nodeProject(
      { 'alert.mjs': "import { shade } from '../shared/shade.mjs';\nexport const decide = () => shade;\n" },
      {},
      { 'shared/shade.mjs': 'export const shade = 1;\n' },
    );
    run(root, ['build']);
    expect(run(root, ['check']).stdout).toContain('make it a package of the project (a workspace)');
    const kept = nodeProject({ 'alert.mjs': 'export const decide = () => 1;\n' }, { keep: ['../shared/**'] });
    expect(run(kept, ['build'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('`../shared/**`, which leads out of it') as string,
    });
  });

  it('is told what is heaviest where it is too big, and shows errors of several lines as such', () => {
    const root = project(
      {
        'horn.mjs': "export const sound = () => { throw new Error('first\\nsecond'); };\n",
        'chart.txt': 'tide '.repeat(10_000),
        'small.txt': 'x',
      },
      { limits: { packed: '100 B' } },
      { 'event.json': '{}' },
    );
    run(root, ['build']);
    expect(run(root, ['check']).stdout).toMatch(/the heaviest are chart\.txt \(48\.\d KiB\), horn\.mjs/);
    const { stdout } = run(root, ['try', 'horn', '--event', 'event.json']);
    expect(stdout).toMatch(/first\n\s+second/);
    expect(stdout).not.toContain('\\u{a}');
  });
});
