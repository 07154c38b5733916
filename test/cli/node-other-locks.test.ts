/** Functions whose packages other package managers have locked: built from the same registry, with the same bytes. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import {
  answerOf,
  LEVELS_ALERT,
  LEVELS_PACKAGES,
  lockEntry,
  packageLock,
  startRegistry,
  nodeProject,
  type TestRegistry,
} from '../support/npm';
import { put, run } from '../support/program';

let registry: TestRegistry;
let integrity: Readonly<Record<string, string>>;
beforeAll(async () => {
  registry = await startRegistry({
    ...LEVELS_PACKAGES,
    'native-darwin@1.0.0': { json: { os: ['darwin'] }, files: { 'index.js': '' } },
    'scripted@1.0.0': {
      json: { engines: { node: '>=18' }, scripts: { postinstall: 'true' } },
      files: { 'index.js': '' },
    },
  });
  const ids = ['levels@2.0.0', 'shades@1.0.0', 'native-darwin@1.0.0', 'scripted@1.0.0'];
  integrity = Object.fromEntries(
    await Promise.all(
      ids.map(async (id) => [id, ((await lockEntry(registry, id)) as { integrity: string }).integrity]),
    ),
  ) as Record<string, string>;
});

const MANIFEST = {
  name: 'alert',
  version: '1.0.0',
  dependencies: { levels: '^2.0.0', scripted: '1.0.0' },
  optionalDependencies: { 'native-darwin': '1.0.0' },
};

const locks = (): Readonly<Record<string, string>> => ({
  'yarn.lock': [
    'levels@^2.0.0|levels@2.0.0|  dependencies:\n    shades "^1.0.0"\n',
    'shades@^1.0.0|shades@1.0.0|',
    'native-darwin@1.0.0|native-darwin@1.0.0|',
    'scripted@1.0.0|scripted@1.0.0|',
  ]
    .map((row) => row.split('|') as [string, string, string])
    .map(
      ([pattern, id, more]) =>
        `${pattern}:\n  version "${id.split('@')[1] ?? ''}"\n  resolved "https://far.example/${id.split('@')[0] ?? ''}/-/${id.replace('@', '-')}.tgz"\n  integrity ${integrity[id] ?? ''}\n${more}`,
    )
    .join('\n'),
  'pnpm-lock.yaml': JSON.stringify({
    lockfileVersion: '9.0',
    importers: {
      '.': {
        dependencies: {
          levels: { specifier: '^2.0.0', version: '2.0.0' },
          scripted: { specifier: '1.0.0', version: '1.0.0' },
        },
        optionalDependencies: { 'native-darwin': { specifier: '1.0.0', version: '1.0.0' } },
      },
    },
    packages: Object.fromEntries(
      Object.entries(integrity).map(([id, one]) => [
        id,
        { resolution: { integrity: one }, ...(id.startsWith('native') && { os: ['darwin'] }) },
      ]),
    ),
    snapshots: {
      'levels@2.0.0': { dependencies: { shades: '1.0.0' } },
      'shades@1.0.0': {},
      'native-darwin@1.0.0': {},
      'scripted@1.0.0': {},
    },
  }),
  later: `__metadata:\n  version: 8\n\n${[
    'levels@npm:^2.0.0|levels@npm:2.0.0|  dependencies: { shades: "npm:^1.0.0" }\n',
    'shades@npm:^1.0.0|shades@npm:1.0.0|',
    'native-darwin@npm:1.0.0|native-darwin@npm:1.0.0|  conditions: os=darwin\n',
    'scripted@npm:1.0.0|scripted@npm:1.0.0|',
    'alert@workspace:.|alert@workspace:.|',
  ]
    .map((row) => row.split('|') as [string, string, string])
    .map(([key, resolution, more]) => `"${key}":\n  version: 1\n  resolution: "${resolution}"\n${more}`)
    .join('\n')}`,
});

const project = (lock: Readonly<Record<string, string>>, more: Readonly<Record<string, unknown>> = {}): string =>
  nodeProject({ 'alert.mjs': LEVELS_ALERT, 'package.json': JSON.stringify(MANIFEST), ...lock }, more, {
    '.npmrc': `registry=${registry.npm}\n`,
  });

interface Locked {
  readonly functions: { readonly alert: { readonly targets: { readonly x86_64: readonly object[] } } };
}

describe('locks of other package managers', () => {
  it('give the packages, facts and bytes that a package lock gives', async () => {
    const entries = {
      'node_modules/levels': await lockEntry(registry, 'levels@2.0.0', { dependencies: { shades: '^1.0.0' } }),
      'node_modules/shades': await lockEntry(registry, 'shades@1.0.0'),
      'node_modules/scripted': await lockEntry(registry, 'scripted@1.0.0', {
        hasInstallScript: true,
        engines: { node: '>=18' },
      }),
      'node_modules/native-darwin': await lockEntry(registry, 'native-darwin@1.0.0', {
        os: ['darwin'],
        optional: true,
      }),
    };
    const made = [
      { 'package-lock.json': packageLock(MANIFEST, entries) },
      { 'yarn.lock': locks()['yarn.lock'] ?? '' },
      { 'pnpm-lock.yaml': locks()['pnpm-lock.yaml'] ?? '' },
      { 'yarn.lock': locks().later ?? '' },
    ].map((lock) => {
      const root = project(lock);
      const { status, stderr } = run(root, ['lock']);
      expect([status, stderr.includes('archives that Yarn makes itself')]).toEqual([
        0,
        'yarn.lock' in lock && lock['yarn.lock'].startsWith('__'),
      ]);
      expect(run(root, ['build'])).toMatchObject({ status: 0 });
      const locked = JSON.parse(readFileSync(join(root, 'emballage.lock'), 'utf8')) as Locked;
      return {
        packages: locked.functions.alert.targets.x86_64.map((one) => ({ ...one, by: undefined, asked: undefined })),
        bytes: readFileSync(join(root, 'out/alert/x86_64/alert.zip')).toString('hex'),
        answer: answerOf(root),
      };
    });
    expect(made[0]?.packages).toHaveLength(3);
    for (const one of made) expect(one).toEqual(made[0]);
  });

  it('are held against package.json, and found in the folder of a workspace’s root', () => {
    const stale = project({ 'yarn.lock': (locks()['yarn.lock'] ?? '').replace('levels@^2.0.0', 'levels@^1.0.0') });
    expect(run(stale, ['lock'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('run `yarn install`') as string,
    });
    const root = project({});
    put(root, {
      'package.json': JSON.stringify({ name: 'all', workspaces: ['s*', '!scripts'] }),
      'yarn.lock': locks()['yarn.lock'] ?? '',
    });
    expect(run(root, ['lock'])).toMatchObject({ status: 0 });
    expect(run(root, ['build'])).toMatchObject({ status: 0 });
    expect(answerOf(root)).toBeDefined();
    // What a workspace asks for is part of what was settled.
    put(root, {
      'package.json': JSON.stringify({ name: 'all', workspaces: ['s*'], dependencies: { levels: '^2.0.0' } }),
    });
    expect(run(root, ['build'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('deps/unlocked') as string,
    });
    const outside = project({});
    put(outside, { 'package.json': '{ "name": "all" }', 'yarn.lock': locks()['yarn.lock'] ?? '' });
    expect(run(outside, ['lock'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('none that speaks of this folder') as string,
    });
  });
});
