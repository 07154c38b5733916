/** Functions for .NET: what is packed of a publish folder, what is found in it, how it is called. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { readAssembly } from '../../src/core/formats/assembly';
import { makePe } from '../support/pe-bytes';
import {
  CHARTS,
  compiled,
  configText,
  depsText,
  dotnetProject,
  DUES,
  itWithDotnet,
  itWithMono,
  PUBLISHED_FILES,
  RUNTIME_ASSEMBLY,
  symbolsOf,
  TARIFF,
  WORDS,
} from '../support/dotnet';
import { findingsOf, jarContent } from '../support/jvm';
import { folderWith, run, type Files } from '../support/program';
import { ARM64, makeElf, X86_64 } from '../support/elf-bytes';

function built(root: string, arch = 'x86_64'): Map<string, Buffer> {
  expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
  return jarContent(join(root, `out/dues/${arch}/dues.zip`));
}

const DEPS = depsText({
  'Dues/1.0.0': { type: 'project', runtime: { 'Dues.dll': {} } },
  'Fernhaven.Tariff/2.1.0': {
    runtime: { 'lib/netstandard2.0/Fernhaven.Tariff.dll': {} },
    resources: {
      'lib/netstandard2.0/de/Fernhaven.Tariff.resources.dll': { locale: 'de' },
      'lib/netstandard2.0/pt-BR/Fernhaven.Tariff.resources.dll': { locale: 'pt-BR' },
    },
    runtimeTargets: {
      'runtimes/linux-x64/native/libtariff.so': { rid: 'linux-x64', assetType: 'native' },
      'runtimes/linux-arm64/native/libtariff.so': { rid: 'linux-arm64', assetType: 'native' },
      'runtimes/win-x64/native/tariff.dll': { rid: 'win-x64', assetType: 'native' },
    },
  },
  'Fernhaven.Charts/1.3.0': { runtime: { 'lib/netstandard2.0/Fernhaven.Charts.dll': {} } },
});
const FULL: Files = {
  ...PUBLISHED_FILES,
  'Dues.deps.json': DEPS,
  'Dues.pdb': 'BSJB',
  'Fernhaven.Tariff.xml': '<doc/>',
  'stations.xml': '<stations/>',
  'Fernhaven.Charts.dll': CHARTS,
  'de/Fernhaven.Tariff.resources.dll': WORDS,
  'pt-BR/Fernhaven.Tariff.resources.dll': WORDS,
  'ref/Dues.dll': DUES,
  'runtimes/linux-x64/native/libtariff.so': makeElf({ machine: X86_64 }),
  'runtimes/linux-arm64/native/libtariff.so': makeElf({ machine: ARM64 }),
  'runtimes/win-x64/native/tariff.dll': makePe(0x8664, []),
  'nuget.config': '<configuration/>',
  'packages.lock.json': '{}',
};

describe('of a publish folder is packed', () => {
  it('what the target needs, and the list of the host agrees', () => {
    const root = dotnetProject(FULL, {
      arch: ['x86_64', 'arm64'],
      languages: ['en', 'pt'],
    });
    expect([...built(root).keys()].sort()).toEqual(
      [
        ...['Dues.deps.json', 'Dues.dll', 'Dues.runtimeconfig.json', 'Fernhaven.Charts.dll', 'Fernhaven.Tariff.dll'],
        ...[
          'pt-BR/Fernhaven.Tariff.resources.dll',
          'rates.txt',
          'runtimes/linux-x64/native/libtariff.so',
          'stations.xml',
        ],
      ].sort(),
    );
    const arm64 = jarContent(join(root, 'out/dues/arm64/dues.zip'));
    expect([...arm64.keys()].filter((path) => path.endsWith('.so'))).toEqual([
      'runtimes/linux-arm64/native/libtariff.so',
    ]);
    const deps = arm64.get('Dues.deps.json')?.toString() ?? '';
    expect(deps.match(/"(?:lib|runtimes)\/[^"]+"/g)).toEqual([
      '"lib/netstandard2.0/Fernhaven.Tariff.dll"',
      '"lib/netstandard2.0/pt-BR/Fernhaven.Tariff.resources.dll"',
      '"runtimes/linux-arm64/native/libtariff.so"',
      '"lib/netstandard2.0/Fernhaven.Charts.dll"',
    ]);
    expect(run(root, ['check'])).toMatchObject({ status: 0 });
  });

  it('all of it where nothing is to be trimmed', () => {
    const root = dotnetProject(FULL, { trim: 'off' });
    const content = built(root);
    expect(content.get('Dues.deps.json')?.toString()).toBe(DEPS);
    expect(content.has('Dues.pdb')).toBe(true);
    // Settings of feeds may hold logins.
    expect(content.has('nuget.config')).toBe(false);
  });

  it('only what the entry reaches, and what is kept', () => {
    const keys = { trim: 'traced' };
    const content = built(dotnetProject(FULL, keys));
    expect([...content.keys()]).not.toContain('Fernhaven.Charts.dll');
    expect(content.get('Dues.deps.json')?.toString()).not.toContain('Charts.dll');
    expect([...content.keys()]).toContain('de/Fernhaven.Tariff.resources.dll');
    const kept = dotnetProject(FULL, { ...keys, keep: ['Fernhaven.Charts.dll'] });
    expect([...built(kept).keys()]).toContain('Fernhaven.Charts.dll');
    expect(run(kept, ['why', 'dues', 'Fernhaven.Charts.dll']).stdout).toContain('kept by');
  });

  it('what says which framework to start, where nobody said it', () => {
    const { 'Dues.runtimeconfig.json': _none, ...files } = PUBLISHED_FILES;
    const made = built(dotnetProject(files)).get('Dues.runtimeconfig.json')?.toString() ?? '';
    expect(JSON.parse(made)).toEqual({
      runtimeOptions: { tfm: 'net8.0', framework: { name: 'Microsoft.NETCore.App', version: '8.0.0' } },
    });
  });
});

const CALLER = (body: string): string => `using System; using System.Reflection;
namespace Fernhaven.Dues { public class Export { public static object Run(object one) { ${body} } } }`;

itWithMono.each([
  ['names stand in code', 'return Type.GetType("Fernhaven.Charts.Chart, Fernhaven.Charts");', true, []],
  ['files are named', 'return Assembly.LoadFrom("Fernhaven.Charts.dll");', true, []],
  ['nothing names it', 'return Assembly.Load("Fernhaven.Other");', false, []],
  ['nobody can see', 'return Assembly.Load(one.ToString());', true, ['Assembly.Load(…)']],
])('tracing: %s', (_what, body, isPacked, unseen) => {
  const files = { ...PUBLISHED_FILES, 'Fernhaven.Charts.dll': CHARTS, 'Dues.dll': compiled('Dues.dll', CALLER(body)) };
  const root = dotnetProject(files, { trim: 'traced', settings: {} });
  expect(built(root).has('Fernhaven.Charts.dll')).toBe(isPacked);
  const found = findingsOf(root).filter((one) => one.includes('deps/unseen-import'));
  expect(found.map((one) => unseen.find((text) => one.includes(text)))).toEqual(unseen);
});

describe('is found before the upload', () => {
  const ENTRY = (member: string) => ({ entry: `Dues.dll#${member}` });
  const SELF = { includedFrameworks: [{ name: 'Microsoft.NETCore.App', version: '8.0.0' }] };
  it.each<[string, Files, Record<string, unknown>, readonly RegExp[]]>([
    ['nothing, where it fits', {}, {}, []],
    [
      'a type that is not there',
      {},
      ENTRY('Fernhaven.Export.Run'),
      [/^stop entry\/missing-member Dues\.dll: .*`Fernhaven\.Dues\.Export`/],
    ],
    [
      'a method that is not there',
      {},
      ENTRY('Fernhaven.Dues.Export.Send'),
      [/^stop entry\/missing-member .*Fernhaven\.Dues\.Export\.Run/],
    ],
    [
      'a method that is not public',
      {},
      ENTRY('Fernhaven.Dues.Export.Shown'),
      [/^stop entry\/missing-member .*not public/],
    ],
    ['a property', {}, ENTRY('Fernhaven.Dues.Line.get_Due'), [/^stop entry\/parameters/]],
    ['an assembly that is not there', {}, { entry: 'Due.dll#A.B' }, [/^stop entry\/missing-file/]],
    [
      'native code as the assembly',
      { 'Dues.dll': makePe(0x8664, []) },
      {},
      [/^stop arch\/native-file/, /^stop entry\/missing-file .*native code/, /^note settings\/unread/],
    ],
    [
      'a truncated assembly',
      { 'Dues.dll': DUES.subarray(0, 3000) },
      {},
      [/^stop entry\/missing-file .*outside the file/, /^note settings\/unread/],
    ],
    [
      'text where an assembly should be',
      { 'More.dll': 'MZ, or so' },
      {},
      [/^stop arch\/native-file More\.dll: a damaged PE file/],
    ],
    [
      'another framework',
      { 'Dues.runtimeconfig.json': configText('9.0.0') },
      {},
      [/^stop runtime\/dotnet-version .*9\.0\.0/],
    ],
    [
      'an older one that does not roll',
      { 'Dues.runtimeconfig.json': configText('6.0.0') },
      {},
      [/^stop runtime\/dotnet-version .*6\.0\.0/],
    ],
    ['an older one that does', { 'Dues.runtimeconfig.json': configText('6.0.0', { rollForward: 'Major' }) }, {}, []],
    [
      'a framework for the desktop',
      {
        'Dues.runtimeconfig.json': configText('8.0.0', {
          framework: undefined,
          frameworks: [{ name: 'Microsoft.WindowsDesktop.App', version: '8.0.0' }],
        }),
      },
      {},
      [/^stop runtime\/dotnet-version .*Desktop/],
    ],
    [
      'a framework of its own',
      { 'Dues.runtimeconfig.json': configText('8.0.0', { framework: undefined, ...SELF }) },
      {},
      [],
    ],
    [
      'settings of the host that are none',
      { 'Dues.runtimeconfig.json': '{' },
      {},
      [/^stop runtime\/dotnet-version .*no JSON/],
    ],
    [
      'a reference that leads nowhere',
      { 'Fernhaven.Tariff.dll': () => undefined },
      {},
      [/^stop deps\/missing Dues\.dll: no `Fernhaven\.Tariff`/],
    ],
    [
      'a list that lies',
      { 'Dues.deps.json': DEPS },
      { trim: 'off' },
      [/^stop deps\/missing .*the host does not start/],
    ],
    ['a list that is none', { 'Dues.deps.json': '{"targets":{}}' }, { trim: 'off' }, []],
    [
      'what is for another system',
      {
        'Dues.deps.json': depsText(
          { 'Dues/1.0.0': { type: 'project', runtime: { 'Dues.dll': {} } } },
          '.NETCoreApp,Version=v8.0/win-x64',
        ),
      },
      {},
      [/^stop arch\/published-for .*win-x64/],
    ],
    [
      'two assemblies of one name',
      { 'plugins/Fernhaven.Tariff.dll': TARIFF },
      {},
      [/^note deps\/version-clash plugins/],
    ],
    ['a setting that nobody declares', {}, { settings: {} }, [/^note settings\/undeclared Dues\.dll: `DUES_UNIT`/]],
    ['an earlier artifact', { 'old.zip': () => undefined }, {}, []],
  ])('%s', (_what, files, keys, expected) => {
    const all = Object.entries({ ...PUBLISHED_FILES, ...files }).filter(([, content]) => typeof content !== 'function');
    const root = dotnetProject(Object.fromEntries(all), keys);
    const { status, stderr } = run(root, ['build']);
    if (status !== 0) {
      expect(stderr).toContain('publish again into an empty folder');
      return;
    }
    const found = findingsOf(root).filter((one) => !one.includes('repro/build-marks'));
    expect(found.filter((one) => !expected.some((pattern) => pattern.test(one)))).toEqual([]);
    for (const pattern of expected) expect(found.join('\n')).toMatch(new RegExp(pattern.source, 'm'));
  });

  itWithMono.each([
    [
      'a debug build',
      [],
      '[assembly: System.Diagnostics.Debuggable(System.Diagnostics.DebuggableAttribute.DebuggingModes.DisableOptimizations)]',
      /^warn build\/debug Dues\.dll/,
    ],
    ['code for 32 bits only', ['-platform:x86'], '', /^stop arch\/native-file Dues\.dll: .*x86 \(32 bit\)/],
    ['code for another processor', ['-platform:arm'], '', /^stop arch\/native-file Dues\.dll/],
    [
      'several methods of a name',
      [],
      'namespace Fernhaven.Dues { partial class Export { public static object Run(string s) { return s; } } }',
      /^stop entry\/missing-member .*2 of that name/,
    ],
    [
      'a type that nothing can be made of',
      [],
      'namespace Fernhaven.Dues { partial class Export { public Export(int i) { } } }',
      /without a public constructor/,
    ],
    [
      'a parameter that no host has',
      [],
      'namespace Fernhaven.Dues { partial class Export { public static object Other(int i) { return i; } } }',
      /^stop entry\/parameters .*Other\(int\)/,
    ],
  ])('%s', (what, args, more, expected) => {
    const isStatic = what === 'a type that nothing can be made of' ? '' : 'static';
    const source = `${more.startsWith('[') ? more : ''}\nnamespace Fernhaven.Dues { public partial class Export { public ${isStatic} object Run(object one) { return one; } } }\n${more.startsWith('[') ? '' : more}`;
    const entry = what === 'a parameter that no host has' ? { entry: 'Dues.dll#Fernhaven.Dues.Export.Other' } : {};
    const root = dotnetProject(
      { ...PUBLISHED_FILES, 'Dues.dll': compiled('Dues.dll', source, args) },
      { settings: {}, ...entry },
    );
    expect(run(root, ['build']).status).toBe(0);
    expect(findingsOf(root).join('\n')).toMatch(new RegExp(expected.source, 'm'));
  });

  itWithDotnet('symbols of another build', () => {
    const dll = readFileSync(RUNTIME_ASSEMBLY);
    const id = readAssembly(dll)?.symbols ?? '';
    expect(id).toMatch(/^[0-9a-f]{32}$/);
    const found = (symbols: string): string[] => {
      const files = { ...PUBLISHED_FILES, 'More.dll': dll, 'More.pdb': symbolsOf(symbols) };
      const root = dotnetProject(files, { trim: 'off' });
      expect(run(root, ['build']).status).toBe(0);
      return findingsOf(root).filter((one) => one.includes('build/debug'));
    };
    expect(found(id)).toEqual([]);
    expect(found('0'.repeat(32))).toEqual(['warn build/debug More.pdb: those of another build']);
  });

  itWithMono('an assembly that is older than the one it was compiled against', () => {
    const library = (version: string): Buffer =>
      compiled(
        'Tide.dll',
        `[assembly: System.Reflection.AssemblyVersion("${version}")] public class Tide { public static int Level() { return 1; } }`,
      );
    const root = dotnetProject({ 'new/Tide.dll': library('2.0.0.0') });
    const reference = join(root, 'f/new/Tide.dll');
    const source =
      'namespace Fernhaven.Dues { public class Export { public static object Run(object one) { return Tide.Level(); } } }';
    const files = {
      ...PUBLISHED_FILES,
      'Tide.dll': library('1.0.0.0'),
      'Dues.dll': compiled('Dues.dll', source, [`-r:${reference}`]),
    };
    const other = dotnetProject(files, { settings: {} });
    expect(run(other, ['build']).status).toBe(0);
    expect(findingsOf(other).join('\n')).toMatch(/^stop deps\/version-clash Tide\.dll: version 1\.0\.0\.0/m);
  });
});

it('is found in a repository by what a publish folder says', () => {
  const { 'Dues.dll': dll = '', ...rest } = PUBLISHED_FILES;
  const published = Object.entries({ 'Dues.dll': dll, ...rest }).map(([path, content]) => [`dues/${path}`, content]);
  const { stdout, status } = run(folderWith(Object.fromEntries(published) as Files), ['survey', '--json']);
  expect(status).toBe(0);
  expect(stdout).toContain('Dues.dll#Fernhaven.Dues.Export.Run');
  expect(stdout).toContain('dotnet 8');
});
