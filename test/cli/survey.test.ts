/** A folder of which nothing is known: what is proposed for it, and what no longer fits a sheet that it has. */
import { cpSync, readdirSync, existsSync, mkdirSync, readFileSync, rmSync, symlinkSync } from 'node:fs';
import { join } from 'node:path';
import { parse } from 'yaml';
import { startTestIndex } from '../support';
import { DEMO, itWithJava } from '../support/jvm';
import { itWith } from '../support/needs';
import { folderWith, put, run, type Files, type Outcome } from '../support/program';

interface Proposed {
  readonly functions: readonly {
    readonly name: string;
    readonly source: string;
    readonly runtime: string;
    readonly entries: readonly { readonly entry: string; readonly why: string }[];
    readonly lacking: readonly string[];
  }[];
  readonly notes: readonly { readonly where: string; readonly text: string }[];
  readonly texts: readonly { readonly path: string; readonly text: string }[];
}

type Spec = Readonly<Record<string, unknown>>;

function survey(
  files: Files,
  ...args: readonly string[]
): Proposed & { readonly root: string; readonly specs: Readonly<Record<string, Spec>> } {
  const root = folderWith(files);
  const found = JSON.parse(run(root, ['survey', '--json', ...args]).stdout) as Proposed;
  const sheet = parse(found.texts[0]?.text ?? '') as { functions?: Record<string, Spec> } | undefined;
  return { ...found, root, specs: sheet?.functions ?? {} };
}

const EVENT = 'export const handler = (event, context) => event;\n';

describe('a repository without a sheet', () => {
  itWithJava(
    'that is the demo’s gets one that locks, builds and is fit to go as it is',
    async () => {
      const { url } = await startTestIndex(join(DEMO, 'fernhaven-packages'));
      const base = url.replace(/\/simple$/, '');
      const root = folderWith({});
      for (const part of ['functions', 'shared', 'events', 'package.json', 'package-lock.json'])
        cpSync(join(DEMO, 'fernhaven-tides', part), join(root, part), { recursive: true });
      // Made to fail, or for compilers that need not be here.
      const others = /^(?:tide-(?:table|solver.*)|night-watch|chart-render|dues-export)$/;
      for (const name of readdirSync(join(root, 'functions')).filter((one) => others.test(one)))
        rmSync(join(root, 'functions', name), { recursive: true });
      const mirror = `<settings><mirrors><mirror><id>f</id><mirrorOf>*</mirrorOf><url>${base}/maven</url></mirror></mirrors></settings>`;
      put(root, { 'home/.m2/settings.xml': mirror, '.gitignore': 'home\n' });
      const env = { HOME: join(root, 'home'), PIP_INDEX_URL: url, npm_config_registry: `${base}/npm/` };
      const doing = (...args: readonly string[]): Outcome => run(root, args, { env });
      expect(doing('survey', '--write')).toMatchObject({ status: 0, stderr: '' });
      const sheet = readFileSync(join(root, 'emballage.yaml'), 'utf8');
      expect(sheet).toContain('entry: fernhaven.Berths#plan  # takes `event` and `context`');
      expect(sheet).toContain('adapter: http  # it has pages by their paths');
      expect(sheet).toContain('MOST_LINES: { sample: "1" }  # read in intake.py:8; fill in a value to try it with');
      expect(sheet).toContain('runtime: java 17  # functions/berth-planner/pom.xml says so');
      for (const command of ['lock', 'build', 'check']) expect(doing(command)).toMatchObject({ status: 0, stderr: '' });
      expect(doing('survey').stdout).toContain('emballage.yaml fits: 8 functions, nothing drifted');
    },
    120_000,
  );

  it('in Python is found by its imports: sources, requirements and versions, however they are laid out', () => {
    const { specs, functions } = survey({
      'one/requirements.txt': 'levels\n',
      'one/app.py': 'import levels\n\ndef handler(event, context):\n    return levels.all()\n',
      'one/tests/test_app.py': 'def handler(event, context): pass\n',
      'two/pyproject.toml': '[project]\nname = "two"\nrequires-python = ">=3.9"\ndependencies = ["levels"]\n',
      'two/src/tides/__init__.py': '',
      'two/src/tides/on.py':
        'from tides import datum\n\nasync def on_level(\n    event: dict,\n    context=None,\n):\n    return datum.ZERO\n',
      'two/src/tides/datum.py': 'ZERO = 0\ndef process(event, context): return 0\n',
      'three/pyproject.toml':
        '[tool.poetry.dependencies]\npython = "^3.10"\nlevels = "^1.2"\ndatum = { version = "~0.3", extras = ["x"] }\n',
      'three/web/app.py':
        'from levelsweb import Site\napp = Site()\n\n@app.get("/tides")\nasync def tides():\n    return 1\n',
      'four/setup.cfg': '[options]\npython_requires = >=3.8\ninstall_requires =\n    levels>=1\n    datum\n',
      'four/run.py': 'def application(environ, start_response):\n    return []\n',
      'five/short.py': 'import levels\ndef main(event):\n    match event:\n        case 1: pass\n',
    });
    expect(specs).toMatchObject({
      one: { source: 'one', entry: 'app.py#handler', artifact: 'zip' },
      tides: { source: 'two/src', entry: 'tides/on.py#on_level', needs: 'two/pyproject.toml' },
      web: {
        source: 'three/web',
        entry: 'app.py#app',
        adapter: 'asgi',
        needs: ['levels>=1.2,<2', 'datum[x]>=0.3,<0.4'],
      },
      four: { entry: 'run.py#application', adapter: 'wsgi', needs: ['levels>=1', 'datum'] },
    });
    expect(functions.find(({ name }) => name === 'five')?.lacking).toEqual([
      '`main` takes one argument, and is given two: the event and a context',
      'it imports levels, and nothing states where that comes from: list it under `needs`',
    ]);
  });

  it('in JavaScript and TypeScript is found in packages, workspaces and folders without either', () => {
    const { specs, notes, functions } = survey({
      'package.json': '{ "workspaces": ["packages/*"], "engines": { "node": ">=18" } }',
      'package-lock.json': '{ "packages": { "packages/alarm": {} } }',
      '.env.example': 'LIMIT_CM="420"\n',
      'packages/alarm/package.json':
        '{ "name": "@f/alarm", "main": "dist/index.js", "dependencies": { "@f/shared": "*" } }',
      'packages/alarm/src/index.ts':
        "import { limit } from '@f/shared';\nimport { helper } from './helper.js';\nexport const decide = async (event: { cm: number }, context: unknown): Promise<boolean> => helper(event) > limit();\n",
      'packages/alarm/src/helper.ts': 'export function helper(event: { cm: number }): number { return event.cm; }\n',
      'packages/alarm/src/index.test.ts': EVENT,
      'packages/shared/package.json': '{ "name": "@f/shared", "main": "index.js" }',
      'packages/shared/index.js':
        'exports.limit = () => Number(process.env.LIMIT_CM);\nexports.handle = (event) => event;\n',
      'plain/horn/horn.mjs':
        'export const token = () => process.env.HORN_TOKEN;\nexport function sound(event) { return token(); }\n',
      'several/package.json': '{ "name": "several", "dependencies": { "levels": "1" } }',
      'several/functions/create.js': "require('levels');\nexports.handler = async function (event) {};\n",
      'several/functions/web.js':
        "const app = require('levels')();\napp.get('/tides', () => 1);\nmodule.exports = app;\n",
    });
    expect(specs).toMatchObject({
      alarm: { source: 'packages/alarm', entry: 'src/index.ts#decide', settings: { LIMIT_CM: { sample: '420' } } },
      horn: { source: 'plain/horn', entry: 'horn.mjs#sound', settings: { HORN_TOKEN: { secret: true } } },
      create: { source: 'several', entry: 'functions/create.js#handler', trim: { traced: 'strict' } },
      web: { source: 'several', entry: 'functions/web.js#default', adapter: 'http' },
    });
    expect(Object.keys(specs)).toHaveLength(4);
    expect(notes).toEqual([{ where: 'packages/shared', text: 'a library: packages/alarm/package.json needs it' }]);
    expect(functions.find(({ name }) => name === 'create')?.lacking).toEqual([
      'no lock speaks of several/package.json: write one, as by `npm install --package-lock-only`',
    ]);
  });

  it('for the JVM is found by classes, POMs and build scripts', () => {
    const { specs, functions } = survey({
      'pom.xml':
        '<project><groupId>f</groupId><artifactId>all</artifactId><version>1</version><packaging>pom</packaging><properties><java.version>11</java.version></properties></project>',
      'plan/pom.xml': '<project><groupId>f</groupId><artifactId>plan</artifactId><version>1</version></project>',
      'plan/src/main/java/f/Plan.java':
        'package f;\nimport java.util.Map;\npublic class Plan {\n  // public Object handle(Object event) { }\n  public Plan() {}\n  public String make(final PlanEvent asked, Map<String, Object> context) { return Help.of(System.getenv("HARBOUR")); }\n  static class Inner { public Object handle(Object event) { return event; } }\n}\n',
      'plan/src/main/java/f/Help.java':
        'package f;\npublic class Help { public static String of(String text) { return text; } public String process(String event) { return event; } }\n',
      'plan/src/test/java/f/PlanTest.java':
        'package f;\npublic class PlanTest { public Object handle(Object event) { return event; } }\n',
      'intake/build.gradle.kts':
        'java { toolchain { languageVersion.set(JavaLanguageVersion.of(17)) } }\ndependencies {\n  implementation("f.levels:levels:1.2")\n  testImplementation("junit:junit:4")\n}\n',
      'intake/src/main/java/g/Intake.java':
        'package g;\nimport f.levels.Levels;\nimport java.io.*;\npublic class Intake { public void handle(InputStream in, OutputStream out) {} public Intake(int n) {} public Intake() {} }\n',
      'bare/h/Bare.java':
        'package h;\nimport x.y.Z;\npublic record Bare(int n) { public static Object handle(Object event) { return """\n text """; } }\n',
    });
    expect(specs).toMatchObject({
      plan: { source: 'plan', runtime: 'java 11', entry: 'f.Plan#make', settings: { HARBOUR: {} } },
      intake: { source: 'intake', runtime: 'java 17', entry: 'g.Intake#handle', needs: ['f.levels:levels:1.2'] },
      bare: { source: 'bare', entry: 'h.Bare#handle', artifact: 'jar' },
    });
    expect(Object.keys(specs)).toHaveLength(3);
    expect(functions.find(({ name }) => name === 'bare')?.lacking).toEqual([
      'it imports x.y, and nothing states where that comes from: list it under `needs`',
    ]);
  });

  it('in compiled languages is found by programs that read events', () => {
    const { specs, notes } = survey({
      'go.mod': 'module f.example/tides/v2\n\ngo 1.19\n',
      'README.md': '# Tides\n',
      'cmd/solve/main.go':
        'package main\n\nimport (\n\t"bufio"\n\t"os"\n\n\t"f.example/tides/v2/internal/mean"\n)\n\nfunc main() { bufio.NewScanner(os.Stdin); mean.Of() }\n',
      'cmd/move/main.go': 'package main\n\nfunc main() {}\n',
      'internal/mean/mean.go': 'package mean\n\nimport "os"\n\nfunc Of() string { return os.Getenv("MEAN_CM") }\n',
      'crates/Cargo.toml': '[workspace]\nmembers = ["gauge"]\n',
      'crates/Cargo.lock': 'version = 3\n',
      'crates/gauge/Cargo.toml':
        '[package]\nname = "gauge"\nversion = "1.0.0"\n[[bin]]\nname = "first"\npath = "src/one.rs"\n',
      'crates/gauge/src/one.rs': 'fn main() { std::io::stdin(); }\n',
      'crates/gauge/src/bin/second.rs': 'use std::io::stdin;\nfn main() { stdin(); }\n',
      'crates/gauge/table.txt': '1\n',
      'native/sum/src/sum.c': '#include <zlib.h>\n#include <stdio.h>\nint main(void) { return getc(stdin); }\n',
      'native/sum/src/more.c': 'int more;\n',
    });
    expect(specs).toMatchObject({
      solve: { source: '.', runtime: 'go', entry: 'cmd/solve/main.go', settings: { MEAN_CM: {} } },
      first: { source: 'crates/gauge', entry: 'src/one.rs', build: { program: 'first' } },
      second: { entry: 'src/bin/second.rs', build: { program: 'second' }, 'leave-out': ['table.txt'] },
      sum: {
        source: 'native/sum',
        build: { sources: ['src/more.c', 'src/sum.c'], libraries: ['z'], linkage: 'static' },
      },
    });
    expect(specs.solve?.['leave-out']).toContain('README.md');
    expect(notes).toEqual([
      { where: 'cmd/move/main.go', text: 'a program that neither reads standard input nor listens on `PORT`' },
    ]);
  });

  itWith('gcc')('gets a sheet for C that builds', () => {
    const root = folderWith({
      'solve/solve.c':
        '#include <math.h>\n#include <stdio.h>\nint main(void) { double x; while (scanf("%lf", &x) == 1 && !feof(stdin)) printf("%f\\n", cos(x)); }\n',
    });
    for (const command of [['survey', '--write'], ['lock'], ['build'], ['check']])
      expect(run(root, command)).toMatchObject({ status: 0, stderr: '' });
  });

  it('is told of what is passed over, and never left half-written', () => {
    const files: Files = {
      '.gitignore': '/made\n*.gen.mjs\n!keep.gen.mjs\n',
      'made/f.mjs': EVENT,
      'f.gen.mjs': EVENT,
      'sub/keep.gen.mjs': EVENT,
      'sub/.gitignore': 'inner/\n',
      'sub/inner/f.mjs': EVENT,
      'node_modules/p/index.mjs': EVENT,
      'broken/package.json': '{ "name": ',
      'broken/index.mjs': EVENT,
      'toml/pyproject.toml': '[project\n',
      'toml/f.py': 'def handler(event, context): pass\n',
      up: (path) => symlinkSync('.', path),
      'a/b/up': (path) => symlinkSync('../..', path),
    };
    const { notes, functions, root } = survey(files);
    expect(functions.map(({ source, entries }) => `${source} ${entries[0]?.entry ?? ''}`)).toEqual([
      'broken index.mjs#handler',
      'sub keep.gen.mjs#handler',
      'toml f.py#handler',
    ]);
    expect(notes.map(({ where }) => where)).toEqual(['up', 'a/b/up', 'broken/package.json', 'toml/pyproject.toml']);
    mkdirSync(join(root, 'destinations'));
    put(root, { 'destinations/host.yaml': 'not: one\n' });
    const refused = run(root, ['survey', '--write']);
    expect(refused.status).toBe(2);
    expect(refused.stderr).toContain('no such file yet');
    expect(existsSync(join(root, 'emballage.yaml'))).toBe(false);
    // From above, of a folder whose rules stand above it.
    mkdirSync(join(root, '.git'));
    const below = JSON.parse(run(root, ['--json', 'survey', 'sub']).stdout) as Proposed;
    expect(below.functions.map(({ source }) => source)).toEqual(['.']);
  });

  it('that holds no function, or is none, is said to', () => {
    const root = folderWith({
      'lib/add.js': 'exports.add = (a, b) => a + b;\n',
      'lib/run.py': 'def main():\n    pass\n',
    });
    const nothing = run(root, ['survey']);
    expect(nothing).toMatchObject({ status: 1, stderr: '' });
    expect(nothing.stdout).toContain('2 files in 2 folders: nothing that looks like a function');
    expect(run(root, ['survey', 'gone'])).toMatchObject({ status: 2 });
    expect(run(root, ['survey', 'a', 'b']).stderr).toContain('at most one folder');
  });

  it('may hold a thousand', () => {
    const files = Object.fromEntries(
      Array.from({ length: 1000 }, (_, i) => [`functions/f${String(i)}/index.mjs`, EVENT]),
    );
    const root = folderWith(files);
    expect(run(root, ['survey', '--write']).stdout).toContain('1,000 functions');
    expect(run(root, ['survey']).stdout).toContain('emballage.yaml fits: 1,000 functions, nothing drifted');
  });

  it('is held to the destination that lies in it', () => {
    const { specs, texts } = survey({
      'destinations/pier.yaml':
        'destination: pier\narch: [arm64]\naccepts: { image: {} }\nruntimes: { node 18: {}, node 22: {} }\n',
      'f/package.json': '{ "engines": { "node": ">=21" } }',
      'f/index.mjs': EVENT,
    });
    expect(specs.f).toMatchObject({ runtime: 'node 22', artifact: 'image' });
    expect(texts.map(({ path }) => path)).toEqual(['emballage.yaml']);
    expect(texts[0]?.text).toContain('pier: destinations/pier.yaml');
  });
});

describe('a repository with a sheet', () => {
  const SHEET = `# Fernhaven's.
project: fernhaven
destinations: { slipway: slipway.yaml }
defaults: { destination: slipway, arch: [x86_64] }
functions:
  horn: # sounds
    source: horn
    runtime: node 20
    entry: horn.mjs#sound # called in fog
    artifact: zip
    settings:
      LOUD: { sample: "7" } # how loud
      OLD: { sample: "1" }
  intake:
    source: intake
    runtime: python 3.11
    entry: intake.py#receive
    artifact: zip
`;
  const FILES: Files = {
    'emballage.yaml': SHEET,
    'slipway.yaml':
      'destination: slipway\narch: [x86_64]\naccepts: { zip: {} }\nruntimes: { node 20: {}, python 3.11: {} }\n',
    'horn/horn.mjs': 'export const blow = (event, context) => process.env.LOUDER + process.env.FAR;\n',
    'intake/intake.py': 'def receive(event, context):\n    return 1\n',
    'bell/bell.mjs': EVENT,
    'other.yaml': 'project: o\nfunctions:\n  gong: { source: gong, entry: gong.mjs#handler }\n',
    'gong/gong.mjs': EVENT,
  };

  it('is told what drifted, and has it put right in place', () => {
    const root = folderWith(FILES);
    const result = run(root, ['survey']);
    expect(result.status).toBe(1);
    const rows = result.stdout
      .split('\n')
      .filter((line) => /^ {2}\w/.test(line))
      .map((line) => line.trim());
    expect(rows).toEqual([
      'stop  horn entry-gone  horn/horn.mjs',
      'stop  horn setting-new  horn/horn.mjs:1',
      'stop  horn setting-new  horn/horn.mjs:1',
      'warn  horn setting-gone  OLD',
      'warn  bell function-new  bell',
    ]);
    expect(result.stdout).toContain('rename `LOUD`, which nothing reads, to `LOUDER` in the sheet, or mend the code');
    expect(readFileSync(join(root, 'emballage.yaml'), 'utf8')).toBe(SHEET);
    expect(run(root, ['survey', '--write'])).toMatchObject({ status: 0, stderr: '' });
    const edited = readFileSync(join(root, 'emballage.yaml'), 'utf8');
    const expected = SHEET.replace('horn.mjs#sound', 'horn.mjs#blow')
      .replace('LOUD:', 'LOUDER:')
      .replace('OLD: { sample: "1" }', 'FAR: { sample: "1" }');
    expect(edited.slice(0, expected.length)).toBe(expected);
    expect(edited.slice(expected.length)).toContain('\n  bell:\n    source: bell\n');
    expect(run(root, ['survey']).stdout).toContain('emballage.yaml fits: 3 functions, nothing drifted');
  });

  it('is left alone where what to do is not sure, and where a sheet would be none any more', () => {
    const root = folderWith({
      ...FILES,
      'horn/horn.mjs': 'export const near = (event) => event;\nexport const far = (event) => event;\n',
      'intake/intake.py': 'import levels\ndef receive(event, context):\n    return 1\n',
      'emballage.yaml': SHEET.replace(
        'entry: intake.py#receive',
        'entry: intake.py#receive\n    settings: { RARE: { sample: "1" } }',
      ),
    });
    const { status, stdout } = run(root, ['survey', '--write']);
    expect(status).toBe(1);
    expect(stdout).toContain('stop  horn entry-gone');
    expect(stdout).toContain('write `entry: horn.mjs#near`, or another');
    // What a package reads nobody sees here.
    expect(stdout).toContain('note  intake setting-gone  RARE');
    expect(readFileSync(join(root, 'emballage.yaml'), 'utf8')).toContain('RARE');
  });

  it('with mistakes says them', () => {
    expect(run(folderWith({ 'emballage.yaml': 'project: [\n' }), ['survey'])).toMatchObject({ status: 2, stdout: '' });
  });
});
