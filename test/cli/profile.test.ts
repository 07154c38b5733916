/** `try --profile`: where the time of a cold start goes. */
import { laterImports } from '../../src/core/languages/node/run/profile';
import { costsIn } from '../../src/core/languages/jvm/run/profile';
import { itWithJava } from '../support/jvm';
import { folderWith, run, type Files } from '../support/program';

interface Profiled {
  readonly starts: readonly {
    readonly isCold: boolean;
    readonly unpackMs: number;
    readonly runtimeMs: number;
    readonly loadMs: number;
    readonly callMs: number;
    readonly costs: readonly {
      readonly name: string;
      readonly selfMs: number;
      readonly totalMs: number;
      readonly by?: string;
      readonly isLater?: true;
    }[];
  }[];
}

function projectOf(spec: object, files: Files): string {
  const sheet = {
    project: 'fernhaven-tides',
    destinations: { slipway: 'slipway.yaml' },
    functions: { horn: { destination: 'slipway', arch: ['x86_64'], ...spec } },
  };
  return folderWith({
    'emballage.yaml': JSON.stringify(sheet),
    'slipway.yaml':
      'destination: slipway\narch: [x86_64]\naccepts: { zip: {}, jar: {}, image: {} }\nruntimes: { node 20: {}, python 3.11: { glibc: "2.36" }, java 17: {}, native: { glibc: "2.36" } }\n',
    'e.json': '{}',
    ...files,
  });
}

function profiled(root: string): Profiled['starts'] {
  expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
  const { stdout, status } = run(root, ['try', 'horn', '--profile', '--event', 'e.json', '--json']);
  expect(status).toBe(0);
  return (JSON.parse(stdout) as Profiled).starts;
}

const SLOW_MS = 60;
const DEEP_MS = 40;

/** Takes so long when it is loaded, without giving the processor away. */
const SLOW_JS = (ms: number): string =>
  `const end = performance.now() + ${String(ms)};\nwhile (performance.now() < end);\n`;
const SLOW_PY = (ms: number): string =>
  `import time\nend = time.perf_counter() + ${String(ms / 1000)}\nwhile time.perf_counter() < end:\n    pass\n`;

describe('a cold start is taken apart', () => {
  it.each<[string, object, Files, readonly string[]]>([
    [
      'Node.js',
      { source: 'src', runtime: 'node 20', entry: 'horn.mjs#sound', artifact: 'zip' },
      {
        'src/horn.mjs':
          "import { slow } from './slow.mjs';\nimport { now } from './now.mjs';\nconst used = now();\nexport const sound = () => [slow(), used];\n",
        'src/slow.mjs': `import './deep.mjs';\n${SLOW_JS(SLOW_MS)}export const slow = () => 1;\n`,
        'src/deep.mjs': SLOW_JS(DEEP_MS),
        'src/now.mjs': 'export const now = () => 2;\n',
      },
      ['slow.mjs', 'deep.mjs'],
    ],
    [
      'Python',
      { source: 'src', runtime: 'python 3.11', entry: 'horn.py#sound', artifact: 'zip' },
      {
        'src/horn.py':
          'import slow\nimport now\n\nUSED = now.now()\n\n\ndef sound(event, context):\n    return [slow.slow(), USED]\n',
        'src/slow.py': `import deep\n${SLOW_PY(SLOW_MS)}def slow():\n    return 1\n`,
        'src/deep.py': SLOW_PY(DEEP_MS),
        'src/now.py': 'def now():\n    return 2\n',
      },
      ['slow', 'deep'],
    ],
  ])('%s', (_language, spec, files, [slow = '', deep = '']) => {
    const root = projectOf(spec, files);
    const starts = profiled(root);
    expect(starts.map(({ isCold }) => isCold)).toEqual([false, true]);
    for (const { unpackMs, runtimeMs, loadMs, callMs, costs } of starts) {
      expect(Math.min(unpackMs, runtimeMs, loadMs, callMs)).toBeGreaterThan(0);
      const of = (name: string) => costs.find((one) => one.name === name);
      // What it takes by itself, and with what it imports, by whom.
      expect([of(deep)?.by, of(slow)?.isLater, of(deep)?.isLater]).toEqual([slow, true, undefined]);
      const [outer, inner] = [of(slow), of(deep)];
      expect(outer?.totalMs).toBeGreaterThanOrEqual((outer?.selfMs ?? 0) + (inner?.selfMs ?? 0) * 0.9);
      // Told by samples, of which a busy machine takes fewer: not how much, only that it is much.
      expect(outer?.selfMs).toBeGreaterThan(SLOW_MS / 4);
      expect(inner?.selfMs).toBeGreaterThan(DEEP_MS / 4);
    }
    const { stdout } = run(root, ['try', 'horn', '--profile', '--event', 'e.json']);
    expect(stdout).toMatch(/together +\d+ ms +\d+ ms/);
    expect(stdout).toMatch(new RegExp(`imported at once, used only in functions.*\\n +\\d+ ms {2}${slow}`));
  });

  itWithJava('the JVM, by packages', () => {
    const root = projectOf(
      { source: 'src', runtime: 'java 17', entry: 'tide.Horn#sound', artifact: 'jar' },
      {
        'src/tide/Horn.java': `package tide;\npublic class Horn {\n  static { long end = System.nanoTime() + ${String(SLOW_MS)}_000_000L; while (System.nanoTime() < end); new tide.deep.Sea(); }\n  public static int sound(String event) { return 1; }\n}\n`,
        'src/tide/deep/Sea.java': 'package tide.deep;\npublic class Sea {}\n',
      },
    );
    const [warm] = profiled(root);
    // The time from one class to the next is that of the class with which it ends.
    const of = (name: string): number => warm?.costs.find((one) => one.name === name)?.selfMs ?? 0;
    expect(of('tide.deep')).toBeGreaterThan(SLOW_MS / 4);
    expect(warm?.costs.map(({ name }) => name)).toContain('the JDK');
  });

  it('is refused for what no runtime loads from an archive', () => {
    const image = { artifact: 'image', base: { root: 'base' } };
    const root = projectOf(
      { source: 'src', runtime: 'node 20', entry: 'horn.mjs#sound', ...image },
      { 'src/horn.mjs': 'export const sound = () => 1;\n', 'base/usr/bin/node': 'x' },
    );
    for (const args of [['lock'], ['build']]) expect(run(root, args).status).toBe(0);
    const { status, stderr } = run(root, ['try', 'horn', '--profile', '--event', 'e.json']);
    expect([status, stderr]).toEqual([2, expect.stringContaining('a function that a runtime loads from an archive')]);
  });
});

it('imports that only functions use are told from those that the module needs at once', () => {
  const code = `import a from 'a';
import { b, c } from 'b';
import 'c';
import * as d from 'd';
const e = require('e');
const f = require('f');
export const one = () => [a, b, e];
export class Two { static three = d; }
f();
`;
  expect(laterImports(code)).toEqual(['a', 'b', 'e']);
});

it('a log of classes gives the time of each package', () => {
  const log = `[1000000ns] java.lang.Object source: jrt:/java.base
[3000000ns] java.lang.String source: shared objects file
[8000000ns] tide.deep.sea.Floor source: file:/f.jar
[9000000ns] tide.deep.sea.Sand source: file:/f.jar
something else
`;
  expect(costsIn(log)).toEqual([
    { name: 'the JDK', selfMs: 2, totalMs: 2 },
    { name: 'tide.deep.sea', selfMs: 6, totalMs: 6 },
  ]);
});
