/** The package as others have it: packed, installed from its tarball, run, and used as a library. */
import { spawnSync } from 'node:child_process';
import { cpSync, existsSync, mkdirSync, readdirSync, readFileSync, symlinkSync } from 'node:fs';
import { join } from 'node:path';
import { outputSchemas } from '../../src/cli/documents/index';
import { KNOWN } from '../../src/core/known';
import { startTestIndex } from '../support';
import { environment, folderWith, pathTo, project } from '../support/program';

const ROOT = join(__dirname, '../..');
const HORN = { 'horn.mjs': 'export const sound = () => 1;\n' };

interface PackageJson {
  readonly version: string;
  readonly dependencies?: Readonly<Record<string, string>>;
}
const manifestOf = (folder: string): PackageJson =>
  JSON.parse(readFileSync(join(folder, 'package.json'), 'utf8')) as PackageJson;

/** Folders of all packages that the program needs where it runs, as they are installed here. */
function needed(): string[] {
  const found = new Map<string, string>();
  const open = [ROOT];
  for (const folder of open)
    for (const name of Object.keys(manifestOf(folder).dependencies ?? {})) {
      const at =
        [join(folder, 'node_modules', name), join(ROOT, 'node_modules', name)].find((one) => existsSync(one)) ?? '';
      if (found.has(at)) continue;
      found.set(at, name);
      open.push(at);
    }
  return [...found.keys()];
}

const sh = (cwd: string, command: string, args: readonly string[], more: Readonly<Record<string, string>> = {}) => {
  const { status, stdout, stderr } = spawnSync(command, args, {
    cwd,
    encoding: 'utf8',
    env: {
      ...environment(cwd),
      npm_config_update_notifier: 'false',
      npm_config_fund: 'false',
      npm_config_audit: 'false',
      ...more,
    },
  });
  return { status, stdout, stderr };
};

describe('the package', () => {
  const base = folderWith({});
  let registry = '';
  let tarball = '';
  beforeAll(async () => {
    const packages = join(base, 'packages');
    mkdirSync(packages);
    for (const [i, folder] of needed().entries()) symlinkSync(folder, join(packages, String(i)));
    registry = (await startTestIndex(packages)).url.replace('/simple', '/npm/');
    const { status, stdout, stderr } = sh(ROOT, 'npm', [
      'pack',
      '--pack-destination',
      base,
      '--json',
      '--ignore-scripts',
    ]);
    expect([status, stderr.includes('error')]).toEqual([0, false]);
    tarball = join(base, (JSON.parse(stdout) as { filename: string }[])[0]?.filename ?? '');
  }, 120_000);

  const install = (folder: string, ...args: readonly string[]): void => {
    const cache = { npm_config_cache: join(base, 'cache'), npm_config_registry: registry };
    expect(sh(folder, 'npm', ['install', '--ignore-scripts', ...args, tarball], cache)).toMatchObject({ status: 0 });
  };

  it('installs for everybody, with its manual', () => {
    const prefix = join(base, 'prefix');
    mkdirSync(prefix);
    install(base, '--global', '--prefix', prefix);
    const bin = join(prefix, 'bin/emballage');
    const root = project(HORN);
    expect(sh(root, bin, ['build'])).toMatchObject({ status: 0 });
    expect(sh(root, bin, ['check'])).toMatchObject({ status: 0 });
    expect(sh(root, bin, ['--version']).stdout).toContain(`emballage ${manifestOf(ROOT).version} (code `);
    expect(readdirSync(join(prefix, 'share/man/man1'))).toEqual(['emballage.1']);
  }, 120_000);

  it('goes through the whole example as it should, without what is not here', async () => {
    const bin = join(base, 'prefix/bin/emballage');
    const tides = join(base, 'tides');
    // Without compilers of native code on the PATH, whose steps are then left out and told.
    const PATH = pathTo('node', 'python3', 'python3.11');
    const { status, stdout, stderr } = sh(base, bin, ['demo', '--into', tides, '--json'], { PATH });
    expect(stderr).toMatch(/left out: build --sheet solver\.yaml; to have it, .*`golang-go`/);
    const document: unknown = JSON.parse(stdout);
    expect([status, (await outputSchemas(KNOWN)).demo?.safeParse(document).error]).toEqual([0, undefined]);
    expect(document).toMatchObject({ unexpected: [] });
    const waybill = readFileSync(join(tides, 'out/surge-alert/arm64/surge-alert.waybill.json'), 'utf8');
    expect(waybill).toContain('"why":"entry"');
    expect(sh(base, bin, ['demo', '--into', tides])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('new or empty') as string,
    });
  }, 240_000);

  it('installs into a project, whose programs use it as a library', () => {
    const folder = project(HORN, {}, { 'package.json': '{ "name": "tools", "private": true }' });
    install(folder);
    cpSync(join(ROOT, 'test/fixtures/library/example.mjs'), join(folder, 'example.mjs'));
    const { stdout, stderr, status } = sh(folder, process.execPath, ['example.mjs']);
    expect([status, stderr]).toEqual([0, '']);
    expect(JSON.parse(stdout)).toMatchObject({ built: ['horn arm64 built'], fit: true, refused: 'SHEET_INVALID' });
    const deep = sh(folder, process.execPath, ['-e', "require('emballage/dist/core/base/text.js')"]);
    expect(deep.stderr).toContain('ERR_PACKAGE_PATH_NOT_EXPORTED');
    cpSync(join(ROOT, 'test/fixtures/library/example.mts'), join(folder, 'example.mts'));
    const options = [
      '--noEmit',
      '--strict',
      '--module',
      'nodenext',
      '--target',
      'es2022',
      '--types',
      'node',
      '--typeRoots',
      join(ROOT, 'node_modules/@types'),
    ];
    expect(
      sh(folder, process.execPath, [join(ROOT, 'node_modules/typescript/bin/tsc'), ...options, 'example.mts']),
    ).toEqual({ status: 0, stdout: '', stderr: '' });
  }, 120_000);
});
