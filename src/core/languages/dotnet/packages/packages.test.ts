/** Packages: versions, frameworks, which files are taken, who decides about versions. */
import { createHash } from 'node:crypto';
import { makeZip } from '../../../../../test/support/zip-bytes';
import { codeFrom, codeOf } from '../../../../../test/support/data';
import { assetsOf } from './assets';
import { contentHash } from './content-hash';
import { fit, frameworkFor, parseFramework } from './frameworks';
import { readLockFile } from './lock-file';
import { isPackageName, readNuspec } from './nuspec';
import { readProjectFile } from './project-file';
import { resolvePackages, type PackageSource } from './resolve';
import { compareVersions, isIn, parseRange, parseVersion, type PackageVersion } from './version';

const version = (text: string): PackageVersion => {
  const found = parseVersion(text);
  if (found === undefined) throw new Error(text);
  return found;
};

describe('versions of packages', () => {
  it('have an order: four numbers, then labels as Semantic Versioning says', () => {
    const ordered = ['1.0.0-alpha', '1.0.0-alpha.1', '1.0.0-alpha.beta', '1.0.0-beta.2', '1.0.0-beta.11', '1.0.0'];
    const all = [...ordered, '1.0.0.1', '1.0.1', '1.2', '1.10.0', '2'];
    for (const [i, text] of all.entries())
      for (const [j, other] of all.entries())
        expect(Math.sign(compareVersions(version(text), version(other)))).toBe(Math.sign(i - j));
    expect(compareVersions(version('1.0.0-RC'), version('1.0.0-rc'))).toBe(0);
  });

  it.each([
    ['1.2', '1.2.0'],
    ['1.02.3.0', '1.2.3'],
    ['1.2.3.4', '1.2.3.4'],
    ['1.0.0-rc.1+build.5', '1.0.0-rc.1'],
    ['1.x', undefined],
    ['1.0.0-', undefined],
    ['1.0.0-a..b', undefined],
    ['', undefined],
    ['99999999999', undefined],
  ])('%s is %s', (text, normal) => {
    expect(parseVersion(text)?.text).toBe(normal);
  });

  it.each([
    ['1.0', '1.0.0', true],
    ['1.0', '0.9', false],
    ['1.0', '7', true],
    ['[1.0]', '1.0.0', true],
    ['[1.0]', '1.0.1', false],
    ['(1.0,)', '1.0.0', false],
    ['(,1.0]', '1.0.0', true],
    ['(,1.0)', '1.0.0', false],
    ['[1.0, 2.0)', '1.9.9', true],
    ['[1.0, 2.0)', '2.0', false],
  ])('the range %s and %s: %s', (range, text, isInside) => {
    const read = parseRange(range);
    if (read === undefined || read === 'floating') throw new Error(range);
    expect(isIn(version(text), read)).toBe(isInside);
  });

  it.each(['(1.0)', '[]', '[1.0', '1.0]', '[a,b]', '(,)x', 'latest'])('%s is no range', (text) => {
    expect(parseRange(text)).toBeUndefined();
  });

  it.each(['1.*', '*', '[1.0.*, 2)'])('%s floats', (text) => {
    expect(parseRange(text)).toBe('floating');
  });
});

describe('frameworks', () => {
  it.each([
    ['net8.0', 'core', 8, 0],
    ['netcoreapp3.1', 'core', 3, 1],
    ['.NETCoreApp,Version=v8.0', 'core', 8, 0],
    ['.NETStandard2.0', 'standard', 2, 0],
    ['netstandard2.1', 'standard', 2, 1],
    ['net461', 'classic', 4, 6],
    ['net4.8', 'classic', 4, 8],
    ['', 'any', 0, 0],
  ])('%s', (text, family, major, minor) => {
    expect(parseFramework(text)).toEqual({ family, major, minor });
  });

  it.each(['net8.0-windows', 'uap10.0', 'monoandroid', 'portable-net45+win8', 'xamarinios'])(
    '%s is for others',
    (text) => {
      expect(parseFramework(text)).toBeUndefined();
    },
  );

  it('are taken by how near they are', () => {
    const own = frameworkFor('8');
    const order = [
      'net8.0',
      'net6.0',
      'net5.0',
      'netcoreapp3.1',
      'netstandard2.1',
      'netstandard1.3',
      '',
      'net48',
      'net461',
    ];
    const points = order.map((text) => fit(parseFramework(text) ?? own, own) ?? NaN);
    expect(points).toEqual([...points].sort((a, b) => b - a));
    expect(new Set(points).size).toBe(order.length);
    for (const text of ['net9.0', 'netstandard2.2', 'net40', 'net35'])
      expect(fit(parseFramework(text) ?? own, own)).toBeUndefined();
    // Standard 2.1 came with version 3.
    expect(fit(parseFramework('netstandard2.1') ?? own, frameworkFor('2'))).toBeUndefined();
  });
});

describe('files of a package', () => {
  const x64 = { arch: 'x86_64', libc: 'glibc', version: 8 } as const;
  const filesFor = (paths: readonly string[], system: Parameters<typeof assetsOf>[1] = x64): string[] =>
    assetsOf(paths, system).assets.map(({ path }) => path);

  it('are those of the nearest framework, and of the nearest system', () => {
    const paths = [
      'lib/net48/a.dll',
      'lib/netstandard2.0/a.dll',
      'lib/netstandard2.0/de/a.resources.dll',
      'lib/net6.0/a.dll',
      'lib/net6.0/a.xml',
      'lib/net9.0/a.dll',
      'runtimes/unix/lib/net6.0/a.dll',
      'runtimes/win/lib/net6.0/a.dll',
      'runtimes/linux-x64/native/liba.so',
      'runtimes/linux-arm64/native/liba.so',
      'runtimes/linux-musl-x64/native/liba.so',
      'runtimes/win-x64/native/a.dll',
      'ref/net8.0/a.dll',
    ];
    expect(filesFor(paths)).toEqual(['runtimes/unix/lib/net6.0/a.dll', 'runtimes/linux-x64/native/liba.so']);
    expect(filesFor(paths, { ...x64, libc: 'musl' })).toContain('runtimes/linux-musl-x64/native/liba.so');
    expect(filesFor(paths, { ...x64, arch: 'arm64' })).toContain('runtimes/linux-arm64/native/liba.so');
    expect(filesFor(paths.filter((path) => !path.startsWith('runtimes/unix/')))[0]).toBe('lib/net6.0/a.dll');
  });

  it('for a language lie in a folder of it', () => {
    const { assets } = assetsOf(['lib/net8.0/a.dll', 'lib/net8.0/pt-BR/a.resources.dll'], x64);
    expect(assets[1]).toEqual({
      kind: 'resources',
      path: 'lib/net8.0/pt-BR/a.resources.dll',
      file: 'pt-BR/a.resources.dll',
      culture: 'pt-BR',
    });
  });

  it('may be none: a placeholder says so, another framework is told', () => {
    expect(assetsOf(['lib/net8.0/_._', 'lib/net48/a.dll'], x64)).toMatchObject({ assets: [], isForOthers: false });
    expect(assetsOf(['lib/net48/a.dll'], x64)).toMatchObject({ isFallback: true });
    expect(assetsOf(['lib/uap10.0/a.dll'], x64)).toMatchObject({ assets: [], isForOthers: true });
  });

  it('of distributions counted before version 8', () => {
    const paths = ['runtimes/debian.12-x64/native/liba.so'];
    expect(filesFor(paths, { ...x64, version: 6 })).toEqual(paths);
    expect(filesFor(paths)).toEqual([]);
  });
});

/** `name version: what it asks for`. */
function feed(packages: Readonly<Record<string, Readonly<Record<string, string>>>>): PackageSource {
  const all = Object.entries(packages).map(([key, wishes]) => {
    const [name = '', text = ''] = key.split(' ');
    return { name, version: version(text), wishes };
  });
  return {
    versions: (name) =>
      Promise.resolve(all.filter((one) => one.name.toLowerCase() === name.toLowerCase()).map((one) => one.version)),
    wishesOf: (name, wanted) =>
      Promise.resolve(
        Object.entries(
          all.find((one) => one.name.toLowerCase() === name.toLowerCase() && one.version.text === wanted.text)
            ?.wishes ?? {},
        ).map(([other, range]) => ({ name: other, range })),
      ),
  };
}

async function settled(direct: Readonly<Record<string, string>>, source: PackageSource): Promise<string[]> {
  const wishes = Object.entries(direct).map(([name, range]) => ({ name, range }));
  const { packages } = await resolvePackages('dues', wishes, source);
  return packages.map(({ name, version: { text } }) => `${name} ${text}`);
}

describe('versions are settled', () => {
  it('to the lowest that is asked for, without early ones', async () => {
    const source = feed({ 'a 1.0.0': {}, 'a 1.1.0': {}, 'a 2.0.0': {}, 'a 1.2.0-beta': {} });
    expect(await settled({ a: '1.1' }, source)).toEqual(['a 1.1.0']);
    expect(await settled({ a: '(1.1,)' }, source)).toEqual(['a 2.0.0']);
    expect(await settled({ a: '1.2.0-alpha' }, source)).toEqual(['a 1.2.0-beta']);
  });

  it('by whoever is nearest; who is overridden is told', async () => {
    const source = feed({ 'a 1.0.0': { c: '2.0' }, 'c 1.0.0': {}, 'c 2.0.0': {} });
    const wishes = [
      { name: 'a', range: '1.0' },
      { name: 'c', range: '1.0' },
    ];
    const { packages, clashes } = await resolvePackages('dues', wishes, source);
    expect(packages.map(({ name, version: { text } }) => `${name} ${text}`)).toEqual(['a 1.0.0', 'c 1.0.0']);
    expect(clashes).toEqual([
      { name: 'c', version: '2.0', chain: ['dues', 'a 1.0.0'], used: '1.0.0', usedChain: ['dues'] },
    ]);
    expect(packages[1]?.asked).toEqual([
      { by: 'dues', as: '1.0' },
      { by: 'a', as: '2.0' },
    ]);
  });

  it('among those equally near to the lowest that all allow', async () => {
    const source = feed({
      'a 1.0.0': { c: '1.0' },
      'b 1.0.0': { c: '1.5' },
      'c 1.0.0': { d: '1.0' },
      'c 1.5.0': {},
      'c 2.0.0': {},
      'd 1.0.0': {},
    });
    // What only the version asked for that was not taken is not there.
    expect(await settled({ a: '1.0', b: '1.0' }, source)).toEqual(['a 1.0.0', 'b 1.0.0', 'c 1.5.0']);
  });

  it('or refused, with who asks', async () => {
    const source = feed({ 'a 1.0.0': { c: '[1.0]' }, 'b 1.0.0': { c: '[2.0]' }, 'c 1.0.0': {}, 'c 2.0.0': {} });
    await expect(settled({ a: '1.0', b: '1.0' }, source)).rejects.toMatchObject({
      facts: {
        expected: expect.stringContaining('dues → a 1.0.0') as unknown,
        found: expect.stringContaining('none of 2') as unknown,
      },
    });
    expect(await codeFrom(settled({ gone: '1.0' }, source))).toBe('REQUIREMENTS_IMPOSSIBLE');
    expect(await codeFrom(settled({ a: '1.*' }, source))).toBe('REQUIREMENTS_IMPOSSIBLE');
    expect(await codeFrom(settled({ '../a': '1.0' }, source))).toBe('REQUIREMENTS_IMPOSSIBLE');
  });

  it('where packages ask for each other', async () => {
    const source = feed({ 'a 1.0.0': { b: '1.0' }, 'b 1.0.0': { a: '1.0' } });
    expect(await settled({ a: '1.0' }, source)).toEqual(['a 1.0.0', 'b 1.0.0']);
  });
});

describe('what states packages', () => {
  const MANIFEST = (inside: string): string =>
    `<package><metadata><id>A.B</id><version>1.0</version>${inside}</metadata></package>`;

  it('is the manifest of one', () => {
    const read = readNuspec(
      MANIFEST(
        '<license type="file">LICENSE.txt</license><licenseUrl>https://aka.ms/deprecateLicenseUrl</licenseUrl><dependencies><dependency id="x" version="1.0" exclude="Build,Analyzers"/></dependencies>',
      ),
      'a.nuspec',
    );
    expect(read).toMatchObject({ name: 'A.B', licence: { type: 'file', text: 'LICENSE.txt' } });
    expect(read.groups).toEqual([
      { framework: '', dependencies: [{ name: 'x', range: '1.0', exclude: ['build', 'analyzers'] }] },
    ]);
  });

  it.each([
    ['<package>', 'unclosed'],
    ['<package><metadata><id>../x</id><version>1</version></metadata></package>', '\\.\\./x'],
    ['<package><metadata><id>x</id><version>one</version></metadata></package>', 'one'],
    ['<!DOCTYPE x [<!ENTITY a "b">]><package/>', 'document type'],
  ])('%s is none', (text, why) => {
    expect(() => readNuspec(text, 'a.nuspec')).toThrow(new RegExp(why));
  });

  it.each(['a b', '../a', 'a/b', '', '.a', 'a'.repeat(101)])('%s is no name', (name) => {
    expect(isPackageName(name)).toBe(false);
  });

  const FILES: Readonly<Record<string, string>> = {
    'src/a/a.csproj': `<Project Sdk="Microsoft.NET.Sdk"><PropertyGroup><AssemblyName>Dues</AssemblyName></PropertyGroup>
      <ItemGroup>
        <PackageReference Include="One" Version="1.0" />
        <PackageReference Include="Two"/>
        <PackageReference Include="Tool" Version="3.0" IncludeAssets="build; analyzers" PrivateAssets="all" />
        <ProjectReference Include="..\\b\\b.csproj" />
      </ItemGroup>
      <ItemGroup Condition="'$(TargetFramework)' == 'net48'"><PackageReference Include="Old" Version="1.0" /></ItemGroup>
    </Project>`,
    'src/b/b.csproj':
      '<Project><ItemGroup><PackageReference Include="three"><Version>3.1</Version></PackageReference></ItemGroup></Project>',
    'Directory.Packages.props':
      '<Project><ItemGroup><PackageVersion Include="Two" Version="[2.0]" /></ItemGroup></Project>',
    'bad.csproj':
      '<Project><ItemGroup>\n<PackageReference Include="One" />\n<PackageReference Include="Two" Version="$(V)" />\n<ProjectReference Include="..\\..\\gone.csproj" /></ItemGroup></Project>',
  };
  const reading = {
    read: (path: string) => FILES[path] ?? '',
    isThere: (path: string) => path in FILES,
    framework: 'net8.0',
  };

  it('is a project, with those that it names, and versions that stand elsewhere', () => {
    const { wishes, buildOnly, files, assembly } = readProjectFile('src/a/a.csproj', reading);
    expect(wishes).toEqual([
      { name: 'One', range: '1.0' },
      { name: 'Two', range: '[2.0]' },
      { name: 'Tool', range: '3.0' },
      { name: 'three', range: '3.1' },
    ]);
    expect([[...buildOnly], assembly]).toEqual([['tool'], 'Dues']);
    expect(files).toEqual(['src/a/a.csproj', 'Directory.Packages.props', 'src/b/b.csproj']);
  });

  it('is told with every mistake of it', () => {
    expect(() => readProjectFile('bad.csproj', { ...reading, isThere: () => false })).toThrow('3 mistakes');
  });

  const LOCK = JSON.stringify({
    version: 1,
    dependencies: {
      'net8.0': {
        One: {
          type: 'Direct',
          requested: '[1.0, )',
          resolved: '1.0.0',
          contentHash: 'x',
          dependencies: { Two: '2.0' },
        },
        Two: { type: 'Transitive', resolved: '2.0.0', contentHash: 'y' },
        b: { type: 'Project', dependencies: { Two: '1.0' } },
      },
      'net8.0/linux-x64': { Native: { type: 'Transitive', resolved: '1.0.0', contentHash: 'z' } },
      'net9.0': {},
    },
  });

  it('is a lock of the ecosystem’s own, for the framework and the system', () => {
    const read = readLockFile(LOCK, 'packages.lock.json', 'dues', { arch: 'x86_64', libc: 'glibc', version: 8 });
    expect(read.map(({ name }) => name)).toEqual(['One', 'Two', 'Native']);
    expect(read[1]?.asked).toEqual([
      { by: 'One', as: '2.0' },
      { by: 'dues', as: '1.0' },
    ]);
    const system = { arch: 'x86_64', libc: 'glibc' } as const;
    expect(codeOf(() => readLockFile(LOCK, 'l', 'dues', { ...system, version: 6 }))).toBe('REQUIREMENTS_INVALID');
    expect(codeOf(() => readLockFile('{', 'l', 'dues', { ...system, version: 8 }))).toBe('REQUIREMENTS_INVALID');
    expect(codeOf(() => readLockFile('{"version":3,"dependencies":{}}', 'l', 'd', { ...system, version: 8 }))).toBe(
      'REQUIREMENTS_INVALID',
    );
  });
});

it.each([
  ['at the end', ['a.nuspec', 'lib/a.dll', '.signature.p7s']],
  ['between others', ['a.nuspec', '.signature.p7s', 'lib/a.dll']],
])('a signature %s changes nothing of the digest of what was signed', (_where, names) => {
  const entry = (name: string) => ({ name, data: Buffer.from(`content of ${name}`) });
  const plain = makeZip(names.filter((name) => !name.startsWith('.')).map(entry));
  const sha512 = createHash('sha512').update(plain).digest('base64');
  expect(contentHash(plain)).toBe(sha512);
  expect(contentHash(makeZip(names.map(entry)))).toBe(sha512);
});
