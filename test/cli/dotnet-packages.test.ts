/** Packages of .NET functions: from feeds and folders, by lists, projects and locks; and projects that the SDK publishes. */
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { makeZip } from '../support/zip-bytes';
import { CHARTS, DUES, dotnetProject, PUBLISHED_FILES, TARIFF, WORDS } from '../support/dotnet';
import { findingsOf, jarContent } from '../support/jvm';
import { run, type Files, type Outcome } from '../support/program';
import { startStandIn, type StandIn } from '../support/stand-ins';

interface Made {
  readonly name: string;
  readonly version?: string;
  readonly needs?: Readonly<Record<string, string>>;
  readonly files?: Readonly<Record<string, Buffer | string>>;
}

/** A package, as whoever publishes makes one. */
function packed({ name, version = '1.0.0', needs = {}, files = {} }: Made): Buffer {
  const wishes = Object.entries(needs).map(([id, range]) => `<dependency id="${id}" version="${range}"/>`);
  const nuspec = `<package><metadata><id>${name}</id><version>${version}</version><license type="expression">0BSD</license><dependencies><group targetFramework="net8.0">${wishes.join('')}</group></dependencies></metadata></package>`;
  const all = { '[Content_Types].xml': '<Types/>', '_rels/.rels': '<r/>', [`${name}.nuspec`]: nuspec, ...files };
  return makeZip(Object.entries(all).map(([path, data]) => ({ name: path, data })));
}

const TARIFF_PACKAGE = packed({
  name: 'Fernhaven.Tariff',
  version: '2.1.0',
  needs: { 'Fernhaven.Charts': '[1.2, 2)' },
  files: {
    'lib/netstandard2.0/Fernhaven.Tariff.dll': TARIFF,
    'lib/netstandard2.0/Fernhaven.Tariff.xml': '<doc/>',
    'lib/netstandard2.0/de/Fernhaven.Tariff.resources.dll': WORDS,
  },
});
const CHARTS_PACKAGE = packed({
  name: 'Fernhaven.Charts',
  version: '1.3.0',
  files: { 'lib/net6.0/Fernhaven.Charts.dll': CHARTS },
});
const { 'Fernhaven.Tariff.dll': _tariff, ...OWN } = PUBLISHED_FILES;
const FOLDER = [{ folder: 'packages' }];
const NEEDS = { needs: ['Fernhaven.Tariff/2.1.0'], sources: FOLDER };

function withPackages(packages: Readonly<Record<string, Buffer>>, keys: object, files: Files = OWN): string {
  const root = dotnetProject(files, { ...NEEDS, ...keys });
  mkdirSync(join(root, 'packages'));
  for (const [name, bytes] of Object.entries(packages)) writeFileSync(join(root, 'packages', name), bytes);
  return root;
}

const BOTH = { 'a.nupkg': TARIFF_PACKAGE, 'b.nupkg': CHARTS_PACKAGE };

function artifact(root: string): Map<string, Buffer> {
  for (const args of [['lock'], ['build']]) expect(run(root, args)).toMatchObject({ status: 0, stderr: '' });
  return jarContent(join(root, 'out/dues/x86_64/dues.zip'));
}

describe('packages of a folder', () => {
  it('lie beside the function, and the host is told of them', () => {
    const content = artifact(withPackages(BOTH, { languages: ['en'] }));
    expect([...content.keys()].sort()).toEqual([
      ...['Dues.deps.json', 'Dues.dll', 'Dues.runtimeconfig.json'],
      ...['Fernhaven.Charts.dll', 'Fernhaven.Tariff.dll', 'rates.txt'],
    ]);
    const deps = JSON.parse(content.get('Dues.deps.json')?.toString() ?? '') as {
      targets: Record<string, Record<string, unknown>>;
      libraries: Record<string, { sha512: string }>;
    };
    expect(deps.targets['.NETCoreApp,Version=v8.0/linux-x64']).toEqual({
      'Dues/1.0.0': { dependencies: { 'Fernhaven.Tariff': '2.1.0' }, runtime: { 'Dues.dll': {} } },
      'Fernhaven.Charts/1.3.0': { runtime: { 'lib/net6.0/Fernhaven.Charts.dll': {} } },
      'Fernhaven.Tariff/2.1.0': {
        dependencies: { 'Fernhaven.Charts': '1.3.0' },
        runtime: { 'lib/netstandard2.0/Fernhaven.Tariff.dll': {} },
      },
    });
    const sha512 = createHash('sha512').update(CHARTS_PACKAGE).digest('base64');
    expect(deps.libraries['Fernhaven.Charts/1.3.0']?.sha512).toBe(`sha512-${sha512}`);
  });

  it('that nothing refers to are left out where it is traced, and told where they are asked for', () => {
    const root = withPackages(BOTH, { trim: 'traced', needs: ['Fernhaven.Tariff/2.1.0', 'Fernhaven.Charts/1.2'] });
    expect([...artifact(root).keys()]).not.toContain('Fernhaven.Charts.dll');
    const whole = withPackages(BOTH, { needs: ['Fernhaven.Tariff/2.1.0', 'Fernhaven.Charts/1.2'] });
    artifact(whole);
    expect(findingsOf(whole).join('\n')).toMatch(/^warn deps\/unused Fernhaven\.Charts/m);
  });

  it.each<[string, Readonly<Record<string, Buffer>>, object, RegExp]>([
    ['are not there', {}, {}, /no feed has a package of that name/],
    [
      'are not there in the version',
      { ...BOTH },
      { needs: ['Fernhaven.Tariff/[3.0]'] },
      /none of 1; the newest are 2\.1\.0/,
    ],
    ['are asked for in words that float', BOTH, { needs: ['Fernhaven.Tariff/2.*'] }, /a version that stays/],
    ['are asked for without a version', BOTH, { needs: ['Fernhaven.Tariff'] }, /Name\/1\.2\.0/],
    [
      'leave their folder',
      { 'a.nupkg': packed({ name: 'Fernhaven.Tariff', version: '2.1.0', files: { '../../x': 'x' } }) },
      {},
      /a sound archive/,
    ],
    [
      'leave it by an escaped name',
      { 'a.nupkg': packed({ name: 'Fernhaven.Tariff', version: '2.1.0', files: { 'lib/%2e%2e/%2e%2e/x.dll': 'x' } }) },
      {},
      /paths inside the package/,
    ],
    ['have no manifest', { 'a.nupkg': makeZip([{ name: 'x', data: 'x' }]) }, {}, /one `\.nuspec`/],
    ['are no archives', { 'a.nupkg': Buffer.from('<html>') }, {}, /zip/],
  ])('are refused where they %s', (_what, packages, keys, expected) => {
    const root = withPackages(packages, keys);
    const locked = run(root, ['lock']);
    const last = locked.status === 0 ? run(root, ['build']) : locked;
    expect([last.status === 0, last.stderr]).toEqual([false, expect.stringMatching(expected)]);
    expect(existsSync(join(root, 'out'))).toBe(false);
  });

  it('of a lock of the ecosystem’s own are held to its digests', () => {
    const hash = (bytes: Buffer): string => createHash('sha512').update(bytes).digest('base64');
    const lock = (tariff: string): string =>
      JSON.stringify({
        version: 1,
        dependencies: {
          'net8.0': {
            'Fernhaven.Tariff': {
              type: 'Direct',
              requested: '[2.1.0, )',
              resolved: '2.1.0',
              contentHash: tariff,
              dependencies: { 'Fernhaven.Charts': '1.2' },
            },
            'Fernhaven.Charts': { type: 'Transitive', resolved: '1.3.0', contentHash: hash(CHARTS_PACKAGE) },
          },
        },
      });
    const root = withPackages(BOTH, { needs: 'packages.lock.json' });
    writeFileSync(join(root, 'packages.lock.json'), lock(hash(TARIFF_PACKAGE)));
    expect([...artifact(root).keys()]).toContain('Fernhaven.Charts.dll');
    writeFileSync(join(root, 'packages.lock.json'), lock(hash(Buffer.from('x'))));
    expect(run(root, ['lock'])).toMatchObject({
      status: 3,
      stderr: expect.stringContaining('the digest that packages.lock.json has') as unknown,
    });
  });

  it('that clash are told, with who asked', () => {
    const old = packed({
      name: 'Fernhaven.Charts',
      version: '1.0.0',
      files: { 'lib/net6.0/Fernhaven.Charts.dll': CHARTS },
    });
    const root = withPackages(
      { ...BOTH, 'c.nupkg': old },
      { needs: ['Fernhaven.Tariff/2.1.0', 'Fernhaven.Charts/1.0.0'] },
    );
    artifact(root);
    expect(findingsOf(root).join('\n')).toMatch(/^warn deps\/version-clash Fernhaven\.Charts: version 1\.0\.0/m);
  });
});

describe('packages of a feed', () => {
  let feed: StandIn;
  let liar: StandIn;
  const served = (): string => withPackages(BOTH, {});
  beforeAll(async () => {
    feed = await startStandIn(['index', join(served(), 'packages')], / at (http:\S+nuget\S+)$/);
    liar = await startStandIn(
      ['index', join(served(), 'packages'), '--misbehave', 'wrong-digest'],
      / at (http:\S+nuget\S+)$/,
    );
  });

  it('are settled by the protocol, and fetched by their digests', async () => {
    const root = withPackages({}, { sources: [{ index: feed.at }] });
    expect([...artifact(root).keys()]).toContain('Fernhaven.Tariff.dll');
    const lock = readFileSync(join(root, 'emballage.lock'), 'utf8');
    expect(lock).toContain('fernhaven.charts.1.3.0.nupkg');
    // Elsewhere, with the lock alone.
    const other = withPackages({}, { sources: [{ index: feed.at }] });
    writeFileSync(join(other, 'emballage.lock'), lock);
    expect(run(other, ['build'])).toMatchObject({ status: 0 });
    const [one, two] = [root, other].map((folder) => readFileSync(join(folder, 'out/dues/x86_64/dues.zip')));
    expect(one?.equals(two ?? Buffer.of())).toBe(true);
    await Promise.resolve();
  });

  it('are refused where it lies about their digests', () => {
    const root = withPackages({}, { sources: [{ index: liar.at }] });
    expect(run(root, ['lock'])).toMatchObject({ stderr: expect.stringContaining('as the feed states') as unknown });
  });

  it.each([
    ['/simple', 'a service index of version 3'],
    ['/npm/', 'a service index of version 3'],
  ])('are not looked for at %s', (path, expected) => {
    const at = feed.at.replace(/\/nuget.*$/, path);
    const { status, stderr } = run(withPackages({}, { sources: [{ index: at }] }), ['lock']);
    expect([status === 0, stderr]).toEqual([false, expect.stringContaining(expected)]);
  });
});

describe('settings of feeds', () => {
  const open: Server[] = [];
  afterAll(() => open.forEach((server) => server.close()));

  /** A feed that wants a login. @returns its address, and what it was asked with */
  async function guarded(): Promise<{ at: string; logins: (string | undefined)[] }> {
    const logins: (string | undefined)[] = [];
    const server = createServer((request, response) => {
      logins.push(request.headers.authorization);
      const base = `http://${request.headers.host ?? ''}`;
      const [, id, rest] = /^\/flat\/([^/]+)\/(.+)$/.exec(request.url ?? '') ?? [];
      const index = { version: '3.0.0', resources: [{ '@id': `${base}/flat`, '@type': ['PackageBaseAddress/3.0.0'] }] };
      const body =
        request.url === '/index.json'
          ? JSON.stringify(index)
          : id !== 'fernhaven.charts'
            ? undefined
            : rest === 'index.json'
              ? JSON.stringify({ versions: ['1.3.0'] })
              : rest?.endsWith('.nupkg') === true
                ? CHARTS_PACKAGE
                : undefined;
      const isIn = request.headers.authorization === `Basic ${Buffer.from('keeper:tide').toString('base64')}`;
      response.writeHead(!isIn ? 401 : body === undefined ? 404 : 200).end(isIn ? body : '');
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    open.push(server);
    return { at: `http://127.0.0.1:${String((server.address() as AddressInfo).port)}/index.json`, logins };
  }

  const asked = (root: string, env: Record<string, string>): Promise<Outcome> =>
    new Promise((resolve) => {
      // The server is in this process, so that the program must not hold it up.
      const { spawn } = jest.requireActual<typeof import('node:child_process')>('node:child_process');
      const { environment, PROGRAM } = jest.requireActual<typeof import('../support/program')>('../support/program');
      const child = spawn(process.execPath, [PROGRAM, 'lock'], { cwd: root, env: { ...environment(root), ...env } });
      let [stdout, stderr] = ['', ''];
      child.stdout.on('data', (text: Buffer) => (stdout += text.toString()));
      child.stderr.on('data', (text: Buffer) => (stderr += text.toString()));
      child.once('exit', (status) => resolve({ status, stdout, stderr }));
    });

  it('name feeds, their logins, and what comes from which', async () => {
    const { at, logins } = await guarded();
    const root = withPackages(BOTH, { sources: undefined, needs: ['Fernhaven.Charts/1.2'] });
    const config = `<configuration>
      <packageSources><clear/><add key="near folder" value="packages"/><add key="far" value="${at}" protocolVersion="3"/></packageSources>
      <packageSourceMapping><packageSource key="far"><package pattern="Fernhaven.C*"/></packageSource><packageSource key="near folder"><package pattern="*"/></packageSource></packageSourceMapping>
      <packageSourceCredentials><far><add key="Username" value="keeper"/><add key="ClearTextPassword" value="%TIDE%"/></far></packageSourceCredentials>
    </configuration>`;
    writeFileSync(join(root, 'nuget.config'), config);
    expect(await asked(root, { TIDE: 'tide' })).toMatchObject({ status: 0 });
    const lock = readFileSync(join(root, 'emballage.lock'), 'utf8');
    expect(lock).toContain(`"index":"${at}"`);
    expect(lock).not.toContain('tide"');
    expect(new Set(logins)).toEqual(new Set([`Basic ${Buffer.from('keeper:tide').toString('base64')}`]));
    rmSync(join(root, 'emballage.lock'));
    expect((await asked(root, { TIDE: 'ebb' })).status).not.toBe(0);
    writeFileSync(join(root, 'nuget.config'), '<configuration>');
    expect((await asked(root, {})).stderr).toMatch(/nuget\.config:\d+:\d+/);
  });
});

/** Says which SDK it is by its folders, and publishes what lies beside it: a stand-in, since none can be installed here. */
const SDK = `#!/bin/sh
case "$1" in
  restore) for one in "$@"; do case "$one" in *.config) cat "$one" > "$(dirname "$0")/feeds.txt";; esac; done; ls ../feed > "$(dirname "$0")/feed.txt";;
  publish) echo "$@" > "$(dirname "$0")/args.txt"; if grep -q mistake *.cs */*.cs 2>/dev/null; then echo "$PWD/f/Export.cs(3,7): error CS1002: ; expected [$PWD/f/Dues.csproj]"; exit 1; fi
    while [ "$1" != -o ]; do shift; done; mkdir -p "$2"; cp "$(dirname "$0")"/published/* "$2";;
esac
`;

describe('a project', () => {
  const PROJECT: Files = {
    'Dues.csproj':
      '<Project Sdk="Microsoft.NET.Sdk"><PropertyGroup><TargetFramework>net8.0</TargetFramework></PropertyGroup><ItemGroup><PackageReference Include="Fernhaven.Tariff" Version="2.1.0"/></ItemGroup></Project>',
    'Export.cs': 'class Export {}',
    'obj/old.dll': 'x',
  };

  function withSdk(files: Files): { root: string; env: Record<string, string>; sdk: string } {
    const root = withPackages(BOTH, { needs: undefined }, files);
    const sdk = join(root, 'sdk-here');
    mkdirSync(join(sdk, 'sdk/8.0.404'), { recursive: true });
    mkdirSync(join(sdk, 'published'));
    writeFileSync(join(sdk, 'dotnet'), SDK, { mode: 0o755 });
    writeFileSync(join(sdk, 'published/Dues.dll'), DUES);
    writeFileSync(join(sdk, 'published/Fernhaven.Tariff.dll'), TARIFF);
    writeFileSync(join(sdk, 'published/rates.txt'), '0 1\n');
    return { root, env: { PATH: `${sdk}:/usr/bin:/bin` }, sdk };
  }

  it('is published by the SDK with the locked packages and no others', () => {
    const { root, env, sdk } = withSdk(PROJECT);
    for (const args of [['lock'], ['build']]) expect(run(root, args, { env })).toMatchObject({ status: 0 });
    expect([...jarContent(join(root, 'out/dues/x86_64/dues.zip')).keys()].sort()).toEqual([
      ...['Dues.dll', 'Dues.runtimeconfig.json', 'Fernhaven.Tariff.dll', 'rates.txt'],
    ]);
    const args = readFileSync(join(sdk, 'args.txt'), 'utf8');
    for (const flag of [
      '-c Release',
      '-f net8.0',
      '-r linux-x64',
      '--self-contained false',
      '--no-restore',
      '-p:Deterministic=true',
      '=/src',
    ])
      expect(args).toContain(flag);
    expect(readFileSync(join(sdk, 'feed.txt'), 'utf8').trim().split('\n').sort()).toEqual([
      ...['fernhaven.charts.1.3.0.nupkg', 'fernhaven.tariff.2.1.0.nupkg'],
    ]);
    const why = run(root, ['why', 'dues', 'Fernhaven.Tariff.dll']).stdout;
    expect(why).toContain('Fernhaven.Tariff 2.1.0');
  });

  it('with mistakes is told with their places', () => {
    const { root, env } = withSdk({ ...PROJECT, 'Export.cs': 'a mistake' });
    expect(run(root, ['lock'], { env }).status).toBe(0);
    expect(run(root, ['build'], { env })).toMatchObject({
      status: 2,
      stderr: expect.stringMatching(/f\/Export\.cs:3:7[\s\S]*; expected \(CS1002\)/) as unknown,
    });
  });

  it('without an SDK is told how it can be done', () => {
    const { root } = withSdk(PROJECT);
    const env = { PATH: '/usr/bin:/bin', DOTNET_ROOT: '' };
    expect(run(root, ['lock'], { env }).status).toBe(0);
    expect(run(root, ['build'], { env })).toMatchObject({
      status: 3,
      stderr: expect.stringMatching(/the \.NET SDK 8 or newer[\s\S]*name the publish folder as `source`/) as unknown,
    });
  });
});
