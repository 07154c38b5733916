import { readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { holdsToBound } from '../support/bound';
import {
  answerOf,
  findingsOf,
  LEVELS_ALERT,
  LEVELS_MANIFEST,
  LEVELS_PACKAGES,
  levelsLock,
  levelsProject,
  lockEntry,
  nodeProject,
  packageLock,
  startRegistry,
  type TestRegistry,
  type WaybillView,
} from '../support/npm';
import { cachesOf, CODE_FOLDER, forget, pathTo, put, run, type Files } from '../support/program';

const PACKAGES = {
  ...LEVELS_PACKAGES,
  'shades@2.0.0': { files: { 'index.js': "exports.shade = () => 'two ';\n" } },
  '@fernhaven/words@1.1.0': {
    json: { type: 'module', exports: './w.js' },
    files: { 'w.js': "export const greet = (name) => 'at ' + name;\n" },
  },
  'native@1.0.0': {
    json: { main: 'i.js', optionalDependencies: { 'native-linux-x64': '1.0.0', 'native-linux-arm64': '1.0.0' } },
    files: { 'i.js': "exports.cpu = require('native-linux-' + process.arch).cpu;\n" },
  },
  'native-linux-x64@1.0.0': { json: { os: ['linux'], cpu: ['x64'] }, files: { 'index.js': "exports.cpu = 'x64';\n" } },
  'native-linux-arm64@1.0.0': {
    json: { os: ['linux'], cpu: ['arm64'] },
    files: { 'index.js': "exports.cpu = 'arm64';\n" },
  },
  'scripted@1.0.0': { json: { scripts: { install: 'touch /tmp/never' } }, files: { 'index.js': 'exports.x = 1;\n' } },
};

let registry: TestRegistry;
beforeAll(async () => {
  registry = await startRegistry(PACKAGES);
});

const npmrc = (): Files => ({ '.npmrc': `registry=${registry.npm}\n` });

const waybillOf = (root: string, arch = 'x86_64'): WaybillView =>
  JSON.parse(readFileSync(join(root, `out/alert/${arch}/alert.waybill.json`), 'utf8')) as WaybillView;
const pathsOf = (root: string, arch?: string): string[] => waybillOf(root, arch).files.map(({ path }) => path);

describe('packages of a package lock', () => {
  it('are held to what the sheet lets packages unpack to', async () =>
    holdsToBound(await levelsProject(registry), 'levels-2.0.0.tgz'));

  it('are locked with place and digest, packed, and trimmed', async () => {
    const root = await levelsProject(registry);
    expect(run(root, ['build'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('run `emballage lock alert`') as unknown,
    });
    expect(run(root, ['lock'])).toMatchObject({ status: 0, stderr: '' });
    const lock = JSON.parse(readFileSync(join(root, 'emballage.lock'), 'utf8')) as {
      functions: { alert: { targets: { x86_64: object[] } } };
    };
    expect(lock.functions.alert.targets.x86_64).toMatchObject([
      {
        name: 'levels',
        version: '2.0.0',
        node: { at: 'node_modules/levels' },
        by: ['src/package.json'],
        file: 'levels-2.0.0.tgz',
      },
      { name: 'shades', version: '1.0.0', node: { at: 'node_modules/shades' }, by: ['levels'] },
    ]);
    expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
    expect(pathsOf(root)).toEqual([
      'alert.mjs',
      'node_modules/levels/index.js',
      'node_modules/levels/package.json',
      'node_modules/shades/index.js',
      'node_modules/shades/package.json',
      'package.json',
    ]);
    expect(waybillOf(root).trimmed.map(({ by }) => by)).toEqual(['docs', 'tests']);
    expect([answerOf(root), findingsOf(root)]).toEqual(['very high', []]);
    const asked = registry.requests.length;
    expect(run(root, ['lock']).stdout).toContain('unchanged');
    rmSync(join(cachesOf(root), 'emballage', CODE_FOLDER, 'unpacked'), { recursive: true });
    rmSync(join(root, 'out'), { recursive: true });
    expect(run(root, ['build', '--offline'])).toMatchObject({ status: 0 });
    expect(registry.requests.length).toBe(asked);
  });

  it('bring back what trimming left out with the line that why names', async () => {
    const root = await levelsProject(registry);
    for (const command of ['lock', 'build']) expect(run(root, [command]).status).toBe(0);
    const { status, stdout } = run(root, ['why', 'alert', '*.md']);
    expect([status, stdout]).toEqual([1, expect.stringContaining('levels  1 file, 1 B  documentation\n') as unknown]);
    const asked = JSON.parse(run(root, ['why', 'alert', '**', '--json']).stdout) as {
      leftOut: { files: { path: string }[]; keep: string[] }[];
    };
    const sheet = JSON.parse(readFileSync(join(root, 'emballage.yaml'), 'utf8')) as { functions: { alert: object } };
    Object.assign(sheet.functions.alert, { keep: asked.leftOut.flatMap(({ keep }) => keep) });
    put(root, { 'emballage.yaml': JSON.stringify(sheet) });
    expect(run(root, ['build']).status).toBe(0);
    const gone = asked.leftOut.flatMap(({ files }) => files.map(({ path }) => path));
    expect([gone.length, waybillOf(root).trimmed, pathsOf(root)]).toEqual([2, [], expect.arrayContaining(gone)]);
  });

  it('are found by asking the registry where the lock does not say', async () => {
    const lock = await levelsLock(registry);
    for (const entry of Object.values(lock)) Reflect.deleteProperty(entry, 'resolved');
    const root = await levelsProject(registry, lock);
    expect(run(root, ['lock'])).toMatchObject({ status: 0, stderr: '' });
    writeFileSync(join(root, '.npmrc'), '');
    writeFileSync(
      join(root, 'src/package-lock.json'),
      `${readFileSync(join(root, 'src/package-lock.json'), 'utf8')}\n`,
    );
    forget(root);
    expect(
      run(root, ['lock'], {
        env: { PATH: pathTo('node') },
      }).stderr,
    ).toContain('a registry in `.npmrc`');
  });

  it('of each platform are for the targets of that platform, with what they load by a name that is put together', async () => {
    const manifest = { dependencies: { native: '1.0.0' } };
    const entries = {
      'node_modules/native': await lockEntry(registry, 'native@1.0.0', {
        optionalDependencies: { 'native-linux-x64': '1.0.0', 'native-linux-arm64': '1.0.0' },
      }),
      'node_modules/native-linux-x64': await lockEntry(registry, 'native-linux-x64@1.0.0', {
        optional: true,
        os: ['linux'],
        cpu: ['x64'],
      }),
      'node_modules/native-linux-arm64': await lockEntry(registry, 'native-linux-arm64@1.0.0', {
        optional: true,
        os: ['linux'],
        cpu: ['arm64'],
      }),
    };
    const files = {
      'alert.mjs': "import { cpu } from 'native';\nexport const decide = () => cpu;\n",
      'package.json': JSON.stringify(manifest),
      'package-lock.json': packageLock(manifest, entries),
    };
    const root = nodeProject(files, { arch: ['x86_64', 'arm64'], trim: 'traced' }, npmrc());
    expect(run(root, ['lock'])).toMatchObject({ status: 0 });
    expect(run(root, ['build'])).toMatchObject({ status: 0 });
    expect(pathsOf(root).filter((path) => path.includes('linux'))).toEqual([
      'node_modules/native-linux-x64/index.js',
      'node_modules/native-linux-x64/package.json',
    ]);
    expect(pathsOf(root, 'arm64').filter((path) => path.includes('linux'))).toEqual([
      'node_modules/native-linux-arm64/index.js',
      'node_modules/native-linux-arm64/package.json',
    ]);
    const { 'node_modules/native-linux-x64': _gone, ...forgotten } = entries;
    writeFileSync(join(root, 'src/package-lock.json'), packageLock(manifest, forgotten));
    expect(run(root, ['lock'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('it was left out when the lock was written on another machine') as unknown,
    });
  });

  it('of a workspace, and code that functions share, lie where Node.js finds them', async () => {
    const manifests = {
      '': { workspaces: ['src', 'shared'] },
      src: { dependencies: { shared: '*', levels: '^2.0.0', shades: '^2.0.0' } },
      shared: { name: 'shared', version: '1.0.0', dependencies: { '@fernhaven/words': '^1.0.0' } },
    };
    const entries = {
      src: manifests.src,
      shared: manifests.shared,
      'node_modules/shared': { resolved: 'shared', link: true },
      'node_modules/levels': await lockEntry(registry, 'levels@2.0.0', { dependencies: { shades: '^1.0.0' } }),
      'node_modules/shades': await lockEntry(registry, 'shades@1.0.0'),
      'src/node_modules/shades': await lockEntry(registry, 'shades@2.0.0'),
      'node_modules/@fernhaven/words': await lockEntry(registry, '@fernhaven/words@1.1.0'),
    };
    const root = nodeProject(
      {
        'package.json': JSON.stringify({ type: 'module', ...manifests.src }),
        'alert.ts':
          "import { place } from 'shared';\nimport { word } from 'levels';\nimport { shade } from 'shades';\nexport const decide = (event: { data: { level: number } }): string => [word(event.data.level), shade(), place()].join('|');\n",
      },
      { entry: 'alert.ts#decide', trim: 'traced' },
      {
        ...npmrc(),
        'package.json': JSON.stringify(manifests['']),
        'package-lock.json': packageLock(manifests[''], entries),
        'shared/package.json': JSON.stringify({ ...manifests.shared, type: 'module', main: 'src/index.ts' }),
        'shared/src/index.ts':
          "import { greet } from '@fernhaven/words';\nexport const place = (): string => greet('pier');\n",
      },
    );
    expect(run(root, ['lock'])).toMatchObject({ status: 0, stderr: '' });
    expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
    expect(answerOf(root)).toBe('very high|two |at pier');
    expect(pathsOf(root).filter((path) => path.endsWith('package.json'))).toEqual([
      'node_modules/@fernhaven/words/package.json',
      'node_modules/levels/node_modules/shades/package.json',
      'node_modules/levels/package.json',
      'node_modules/shades/package.json',
      'node_modules/shared/package.json',
      'package.json',
    ]);
    expect(run(root, ['build']).stdout).toContain('unchanged');
    writeFileSync(join(root, 'shared/src/index.ts'), "export const place = (): string => 'moved';\n");
    expect(run(root, ['build'])).toMatchObject({ status: 0 });
    expect(answerOf(root)).toBe('very high|two |moved');
  });

  it('need a login that stands in the npm configuration, and it is nowhere else', async () => {
    const closed = await startRegistry(
      { 'levels@2.0.0': PACKAGES['levels@2.0.0'], 'shades@1.0.0': PACKAGES['shades@1.0.0'] },
      ['--login', 'keeper:tide-secret'],
    );
    const host = new URL(closed.npm).host;
    const moved = Object.fromEntries(
      Object.entries(await levelsLock(registry)).map(([at, entry]) => [
        at,
        {
          ...entry,
          resolved: (entry as { resolved: string }).resolved.replace(/^http:\/\/[^/]+/, `http://${host}`),
        },
      ]),
    );
    const root = await levelsProject(registry, moved);
    put(root, { '.npmrc': `registry=${closed.npm}\n` });
    expect(run(root, ['lock'])).toMatchObject({ status: 3, stderr: expect.stringContaining('status 401') as unknown });
    const login = Buffer.from('keeper:tide-secret').toString('base64');
    put(root, {
      '.npmrc': `registry=${closed.npm}\n//${host}/npm/:_auth=\${TIDE_LOGIN}\n`,
      'src/.npmrc': '//x/:_authToken=tide-secret\n',
    });
    expect(run(root, ['lock', '--verbose'], { env: { TIDE_LOGIN: login } })).toMatchObject({ status: 0 });
    const built = run(root, ['build', '--verbose']);
    expect(built.stdout).toContain('left out .npmrc (login-file)');
    const outputs = ['emballage.lock', 'out/alert/x86_64/alert.waybill.json', 'out/alert/x86_64/alert.zip'].map(
      (path) => readFileSync(join(root, path), 'latin1'),
    );
    expect([built.stdout, ...outputs].filter((text) => text.includes('tide-secret') || text.includes(login))).toEqual(
      [],
    );
  });

  it('that want to run a script are told, and nothing is run', async () => {
    const manifest = { dependencies: { scripted: '1.0.0' } };
    const entries = {
      'node_modules/scripted': await lockEntry(registry, 'scripted@1.0.0', {
        hasInstallScript: true,
        engines: { node: '>=22' },
      }),
    };
    const files = {
      'alert.mjs': "import s from 'scripted';\nexport const decide = () => s.x;\n",
      'package.json': JSON.stringify(manifest),
      'package-lock.json': packageLock(manifest, entries),
    };
    const root = nodeProject(files, {}, npmrc());
    run(root, ['lock']);
    run(root, ['build']);
    expect(findingsOf(root)).toEqual(['warn runtime/node-version scripted 1.0.0', 'warn deps/script scripted 1.0.0']);
  });

  it('that are installed in the source folder may be packed, unlocked', () => {
    const root = nodeProject({
      'alert.mjs': LEVELS_ALERT,
      'package.json': JSON.stringify(LEVELS_MANIFEST),
      'node_modules/levels/package.json': '{"name":"levels","version":"2.0.0"}',
      'node_modules/levels/index.js': "exports.word = () => 'installed';\n",
    });
    expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
    expect([answerOf(root), findingsOf(root)]).toEqual(['installed', ['warn deps/unlocked node_modules']]);
    expect(waybillOf(root).files.map(({ origin }) => origin.from)).toEqual([
      'source',
      'unlocked',
      'unlocked',
      'source',
    ]);
  });

  it.each(['follow', 'keep'])(
    'that are installed as links into a store are laid out for Node.js: links %s',
    (links) => {
      const store = (id: string, name: string, json: object, code: string): Files => ({
        [`node_modules/.store/${id}/node_modules/${name}/package.json`]: JSON.stringify({
          name,
          version: '1.0.0',
          ...json,
        }),
        [`node_modules/.store/${id}/node_modules/${name}/index.js`]: code,
      });
      const link =
        (target: string) =>
        (path: string): void =>
          symlinkSync(target, path);
      const root = nodeProject(
        {
          'alert.cjs': "exports.decide = () => [require('levels'), require('words')];\n",
          'package.json': JSON.stringify({ dependencies: { levels: '1', words: '1' } }),
          ...store(
            'levels@1',
            'levels',
            { dependencies: { words: '2' } },
            "module.exports = 'levels ' + require('words');\n",
          ),
          ...store('words@1', 'words', { dependencies: { levels: '1' } }, "module.exports = 'one';\n"),
          ...store('words@2', 'words', {}, "module.exports = 'two';\n"),
          'node_modules/.store/levels@1/node_modules/words': link('../../words@2/node_modules/words'),
          'node_modules/.store/words@1/node_modules/levels': link('../../levels@1/node_modules/levels'),
          'node_modules/levels': link('.store/levels@1/node_modules/levels'),
          'node_modules/words': link('.store/words@1/node_modules/words'),
        },
        { entry: 'alert.cjs#decide', links },
      );
      expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
      expect(answerOf(root)).toEqual(['levels two', 'one']);
      expect(findingsOf(root)).toEqual(['warn deps/unlocked node_modules']);
      expect(
        waybillOf(root)
          .files.map(({ path }) => path)
          .filter((path) => path.endsWith('index.js')),
      ).toEqual([
        'node_modules/levels/index.js',
        'node_modules/levels/node_modules/words/index.js',
        'node_modules/words/index.js',
      ]);
    },
  );

  it.each([{ trim: 'traced' }, { link: true, minify: true }])(
    'that find files by names that are put together keep them: %j',
    (keys) => {
      const root = nodeProject(
        {
          'alert.mjs':
            "import { load, size } from 'pictures';\nexport const decide = () => [load('png'), size(), import.meta.resolve('node:fs')];\n",
          'package.json': JSON.stringify({ dependencies: { pictures: '1' } }),
          'node_modules/pictures/package.json': JSON.stringify({
            name: 'pictures',
            version: '1.0.0',
            exports: { '.': './index.js', './codecs/*': './dist/codecs/*.js' },
          }),
          'node_modules/pictures/index.js':
            "const { join } = require('path');\nexports.load = (name) => { try { return require(`pictures/codecs/${name}`); } catch { return 'none'; } };\nconst folder = join(__dirname, ['di', 'st'].join(''));\nexports.size = () => require('fs').readFileSync(join(folder, 'codec.wasm')).length;\n",
          'node_modules/pictures/dist/codecs/png.js': "module.exports = 'png';\n",
          'node_modules/pictures/dist/codec.wasm': Buffer.from([0, 0x61, 0x73, 0x6d, 1, 0, 0, 0]),
        },
        keys,
      );
      expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
      expect(answerOf(root)).toEqual(['png', 8, 'node:fs']);
    },
  );
});
