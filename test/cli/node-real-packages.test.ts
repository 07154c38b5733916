import { spawnSync } from 'node:child_process';
import { mkdirSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { integrityOf, packageLock } from '../support/npm';
import { folderWith, run } from '../support/program';

const FIXTURES = join(__dirname, '../fixtures/npm');
const TARBALLS = readdirSync(FIXTURES).filter((name) => name.endsWith('.tgz'));
const NEEDS: Readonly<Record<string, object>> = { 'mime-types': { 'mime-db': '1.52.0' } };

/** Old CommonJS, packages with two faces, data in JSON, TypeScript on the function's side. */
const ENTRY = `import ms from 'ms';
import pico from 'picocolors';
import { dequal } from 'dequal';
import { dequal as lite } from 'dequal/lite';
import mime from 'mime-types';
import { assert, is, number, object, string, StructError } from 'superstruct';
import rfdc from 'rfdc';
import { createHooks } from 'hookable';

export async function decide(event: { data: { level: number } }): Promise<unknown> {
  const hooks = createHooks();
  const heard: unknown[] = [];
  hooks.hook('surge', (what: unknown) => heard.push(what));
  await hooks.callHook('surge', event.data.level);
  const Level = object({ level: number(), station: string() });
  let refused = '';
  try {
    assert(event.data, Level);
  } catch (error) {
    refused = (error as StructError).message;
  }
  const copied = rfdc()({ a: [1, { b: new Date(0) }] });
  return {
    ms: [ms('2 days'), ms(60_000, { long: true })],
    pico: pico.createColors(true).bold('x'),
    dequal: [dequal(new Map([[1, { a: 1 }]]), new Map([[1, { a: 1 }]])), lite({ a: 1 }, { a: 2 })],
    mime: [mime.lookup('tide.json'), mime.extension('text/html'), mime.contentType('a.txt')],
    struct: [is({ level: 1, station: 'pier' }, Level), refused],
    rfdc: copied,
    heard,
  };
}
`;
const SHEET = {
  project: 'fernhaven-tides',
  destinations: { slipway: 'slipway.yaml' },
  defaults: { destination: 'slipway', arch: ['x86_64'] },
  functions: Object.fromEntries(
    Object.entries({
      whole: { trim: 'off' },
      safe: {},
      traced: { trim: 'traced', sourcemap: 'inline' },
      linked: { link: true, sourcemap: 'beside' },
      small: { link: true, minify: true },
    }).map(([name, keys]) => [
      name,
      { source: 'src', runtime: 'node 20', entry: 'alert.ts#decide', artifact: 'zip', events: 'event.json', ...keys },
    ]),
  ),
};

const named = TARBALLS.map((file) => [...(/^(.+)-(\d.*)\.tgz$/.exec(file) ?? [])] as [string, string, string]);
const manifest = {
  type: 'module',
  dependencies: Object.fromEntries(named.map(([, name, version]) => [name, version])),
};

function realProject(): string {
  const entries = named.map(([file, name, version]) => [
    `node_modules/${name}`,
    {
      version,
      resolved: `file:packages/${file}`,
      integrity: integrityOf(readFileSync(join(FIXTURES, file))),
      dependencies: NEEDS[name] ?? {},
    },
  ]);
  return folderWith({
    'emballage.yaml': JSON.stringify(SHEET),
    'slipway.yaml': 'destination: slipway\narch: [x86_64]\naccepts: { zip: {} }\nruntimes: { node 20: {} }\n',
    'event.json': '{ "level": 447 }',
    'src/alert.ts': ENTRY,
    'src/package.json': JSON.stringify(manifest),
    'src/package-lock.json': packageLock(manifest, Object.fromEntries(entries) as Record<string, object>),
    ...Object.fromEntries(TARBALLS.map((file) => [`src/packages/${file}`, readFileSync(join(FIXTURES, file))])),
  });
}

/** The answer of the source tree itself: packages unpacked by the system's tar, types taken out of the entry by hand. */
function answerOfSource(): unknown {
  const plain = ENTRY.replace(
    /: \{ data: \{ level: number \} \}|: Promise<unknown>|: unknown\[\]|: unknown| as StructError/g,
    '',
  );
  const root = folderWith({
    'alert.mjs': plain,
    'run.mjs':
      "import { decide } from './alert.mjs';\nconsole.log(JSON.stringify(await decide({ data: { level: 447 } })));\n",
  });
  for (const [file, name] of named) {
    mkdirSync(join(root, 'node_modules', name), { recursive: true });
    spawnSync('tar', ['xzf', join(FIXTURES, file), '--strip-components=1', '-C', join(root, 'node_modules', name)]);
  }
  const { stdout, stderr } = spawnSync(process.execPath, [join(root, 'run.mjs')], { encoding: 'utf8' });
  return stdout === '' ? stderr : (JSON.parse(stdout) as unknown);
}

describe('packages that others made', () => {
  let root = '';
  const expected = answerOfSource();

  beforeAll(() => {
    root = realProject();
    expect(run(root, ['lock'])).toMatchObject({ status: 0, stderr: '' });
    expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
  });

  it.each(Object.keys(SHEET.functions))('answer as the source tree does when the function is packed: %s', (name) => {
    expect(expected).toMatchObject({ ms: [172_800_000, '1 minute'], struct: [true, expect.any(String)] });
    const { calls } = JSON.parse(run(root, ['try', name, '--json']).stdout) as {
      calls: { answer: { json: string } }[];
    };
    expect(JSON.parse(calls[0]?.answer.json ?? 'null')).toEqual(expected);
  });

  it('take less room the more is left out, and the same bytes wherever they are built', () => {
    const sizes = (at: string): { name: string; size: number; sha256: string }[] =>
      (JSON.parse(run(at, ['build', '--json']).stdout) as { targets: { name: string; size: number; sha256: string }[] })
        .targets;
    const here = sizes(root);
    const size = (name: string): number => here.find((one) => one.name === name)?.size ?? 0;
    expect(size('whole')).toBeGreaterThan(size('safe'));
    expect(size('safe')).toBeGreaterThan(size('traced'));
    expect(size('traced')).toBeGreaterThan(size('small'));
    const other = realProject();
    run(other, ['lock']);
    expect(sizes(other).map(({ sha256 }) => sha256)).toEqual(here.map(({ sha256 }) => sha256));
  });
});
