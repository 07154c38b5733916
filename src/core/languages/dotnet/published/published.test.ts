/** What tells the host about a publish folder: its list of files, and the frameworks it asks for. */
import { depsText } from '../../../../../test/support/dotnet';
import { codeOf } from '../../../../../test/support/data';
import { readDepsFile, withoutAssets } from './deps-file';
import { depsWith } from './made-deps';
import { readRuntimeConfig, rollsTo } from './runtime-config';

const DEPS = depsText(
  {
    'Dues/1.0.0': { type: 'project', runtime: { 'Dues.dll': {} } },
    'Tide.Data/2.0.0': {
      runtime: { 'lib/net6.0/Tide.Data.dll': { assemblyVersion: '2.0.0.0', fileVersion: '2.0.0.0' } },
      resources: { 'lib/net6.0/de/Tide.Data.resources.dll': { locale: 'de' } },
      runtimeTargets: {
        'runtimes/win-x64/native/tide.dll': { rid: 'win-x64', assetType: 'native', fileVersion: '0.0.0.0' },
        'runtimes/linux-x64/native/libtide.so': { rid: 'linux-x64', assetType: 'native', fileVersion: '0.0.0.0' },
      },
    },
  },
  '.NETCoreApp,Version=v8.0/linux-x64',
);

describe('the list of files', () => {
  it('says what each library has, and where that lies', () => {
    const { framework, rid, libraries } = readDepsFile(DEPS, 'Dues.deps.json');
    expect([framework, rid]).toEqual(['.NETCoreApp,Version=v8.0', 'linux-x64']);
    expect(libraries.map(({ name, version, type }) => `${type} ${name} ${version}`)).toEqual([
      'project Dues 1.0.0',
      'package Tide.Data 2.0.0',
    ]);
    expect(libraries[1]?.assets.map(({ kind, file, rid: of, culture }) => [kind, file, of ?? culture])).toEqual([
      ['runtime', 'Tide.Data.dll', undefined],
      ['resources', 'de/Tide.Data.resources.dll', 'de'],
      ['runtimeTargets', 'runtimes/win-x64/native/tide.dll', 'win-x64'],
      ['runtimeTargets', 'runtimes/linux-x64/native/libtide.so', 'linux-x64'],
    ]);
  });

  it('is written back with nothing else changed', () => {
    expect(withoutAssets(DEPS, 'd', () => false)).toBe(DEPS);
    const odd = DEPS.replace('"runtime": {', '"runtime" :\t{').replace(/\n/g, '\r\n');
    const less = withoutAssets(odd, 'd', (file) => file.includes('win-x64'));
    const gone = /\s*"runtimes\/win-x64\/native\/tide\.dll": \{[^}]*\},/;
    expect(less).toBe(odd.replace(gone, ''));
    // A group of which nothing is left goes as a whole.
    const without = withoutAssets(DEPS, 'd', (file) => file.startsWith('runtimes/') || file.startsWith('de/'));
    const parsed = JSON.parse(without) as { targets: Record<string, Record<string, object>> };
    expect(Object.keys(parsed.targets['.NETCoreApp,Version=v8.0/linux-x64']?.['Tide.Data/2.0.0'] ?? {})).toEqual([
      'runtime',
    ]);
  });

  it.each([
    ['{', 'd:1:2'],
    ['[]', 'd'],
    ['{"targets": {}}', 'd'],
    [`{"a": ${'['.repeat(300)}`, 'd'],
  ])('%s is none', (text, where) => {
    expect(codeOf(() => readDepsFile(text, 'd'))).toBe('PACKAGE_INVALID');
    const facts = expect.objectContaining({ where }) as unknown;
    expect(() => readDepsFile(text, 'd')).toThrow(expect.objectContaining({ facts }) as Error);
  });

  it('gets packages that are added, as the host reads it', () => {
    const asset = { kind: 'runtime', path: 'lib/net8.0/More.dll', file: 'More.dll' } as const;
    const added = [{ name: 'More', version: '1.2.0', contentHash: 'x', assets: [asset], needs: {}, isDirect: true }];
    const system = { arch: 'arm64', libc: 'musl', version: 8 } as const;
    const made = readDepsFile(depsWith(undefined, 'Dues', added, system), 'd');
    expect(made.rid).toBe('linux-musl-arm64');
    expect(made.libraries.map(({ name }) => name)).toEqual(['Dues', 'More']);
    const joined = depsWith(DEPS, 'Dues', added, system);
    expect(readDepsFile(joined, 'd').libraries.map(({ name }) => name)).toEqual(['Dues', 'Tide.Data', 'More']);
    expect(joined).toContain('"More": "1.2.0"');
  });
});

describe('the frameworks that it asks for', () => {
  it('are read with comments, as the host reads them', () => {
    const text =
      '\uFEFF{ // made by hand\n "runtimeOptions": { "frameworks": [{ "name": "A", "version": "8.0.1" },], "rollForward": "major" } }';
    expect(readRuntimeConfig(text)).toEqual({
      frameworks: [{ name: 'A', version: '8.0.1' }],
      isSelfContained: false,
      rollForward: 'Major',
    });
    expect(readRuntimeConfig('{ "runtimeOptions": { "includedFrameworks": [] } }')).toMatchObject({
      isSelfContained: true,
    });
  });

  it.each(['', '[]', '{"runtimeOptions": 1}', '{"runtimeOptions": {"rollForward": "Sideways"}}'])(
    '%s is none',
    (text) => {
      expect(typeof readRuntimeConfig(text)).toBe('string');
    },
  );

  it.each([
    ['8.0.0', 'Minor', '8', true],
    ['8.0.0', 'Minor', '9', false],
    ['8.0.0', 'Major', '9', true],
    ['8.0.0', 'Major', '6', false],
    ['8.0.5', 'Minor', '8', true],
    ['8.0.5', 'Minor', '8.0.4', false],
    ['8.0.5', 'LatestPatch', '8.0.11', true],
    ['8.0.5', 'Disable', '8.0.11', false],
    ['8.0.5', 'Disable', '8.0.5', true],
    ['3.1.0', 'LatestPatch', '3', true],
    ['3.0.0', 'LatestPatch', '3', false],
    ['3.0.0', 'Minor', '3', true],
    ['9.0.0-rc.1', 'LatestMajor', '10.0.0', true],
  ] as const)('%s with %s and what is there, %s: %s', (wanted, policy, offered, isTaken) => {
    expect(rollsTo(wanted, policy, offered)).toBe(isTaken);
  });
});
