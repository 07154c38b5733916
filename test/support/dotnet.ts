/** What tests of .NET functions share. */
import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { homedir, tmpdir } from 'node:os';
import { delimiter, join } from 'node:path';
import { itNeeds, itWith, programNeed } from './needs';
import { folderWith, type Files } from './program';

const DEMO = join(__dirname, '../../demo');
const PUBLISHED = join(DEMO, 'fernhaven-tides/functions/dues-export/publish');
const PACKAGES = join(DEMO, 'fernhaven-packages');

/** The function of the demo, as it is published. */
export const DUES = readFileSync(join(PUBLISHED, 'Dues.dll'));
export const RATES = readFileSync(join(PUBLISHED, 'rates.txt'));
/** An assembly of a package, its texts in another language, and one that nothing refers to. */
export const TARIFF = readFileSync(join(PACKAGES, 'fernhaven.tariff-2.1.0/lib/netstandard2.0/Fernhaven.Tariff.dll'));
export const WORDS = readFileSync(
  join(PACKAGES, 'fernhaven.tariff-2.1.0/lib/netstandard2.0/de/Fernhaven.Tariff.resources.dll'),
);
export const CHARTS = readFileSync(join(PACKAGES, 'fernhaven.charts-1.3.0/lib/netstandard2.0/Fernhaven.Charts.dll'));

const DOTNET = join(process.env.EMBALLAGE_DOTNET ?? join(homedir(), '.cache/emballage-dotnet'), 'dotnetcore2/bin');
/** The runtime that scripts/toolchains.sh fetched, or the one on the PATH, with an SDK or without; '' where there is none. */
export const DOTNET_PROGRAM = existsSync(join(DOTNET, 'dotnet')) ? join(DOTNET, 'dotnet') : dotnetOnPath();

function dotnetOnPath(): string {
  const found = spawnSync('sh', ['-c', 'command -v dotnet && dotnet --list-runtimes'], { encoding: 'utf8' }).stdout;
  return found.includes('Microsoft.NETCore.App ') ? (found.split('\n')[0] ?? '') : '';
}
/** Tests with Mono, and with a runtime of .NET. */
export const itWithMono = itWith('mcs', 'mono');
export const itWithDotnet = itNeeds(programNeed('mcs'), {
  isHere: DOTNET_PROGRAM !== '',
  what: 'a runtime of .NET',
  from: 'dotnetcore2',
});

/** The environment with the runtime on the PATH. */
export const WITH_DOTNET = { PATH: `${DOTNET}${delimiter}${process.env.PATH ?? ''}` };

/** An assembly of C#. @param args of the compiler, `-r:` and such */
export function compiled(name: string, source: string, args: readonly string[] = []): Buffer {
  return readFileSync(compile(name, source, ['-optimize+', '-debug-', ...args]));
}

/** Debug symbols of a build, as portable PDBs begin. @param id in hexadecimal */
export function symbolsOf(id: string): Buffer {
  const head = Buffer.alloc(16 + 12 + 4 + 8 + 8);
  head.write('BSJB');
  head.writeUInt32LE(12, 12);
  head.write('PDB v1.0', 16);
  head.writeUInt16LE(1, 30);
  head.writeUInt32LE(head.length, 32);
  head.writeUInt32LE(20, 36);
  head.write('#Pdb', 40);
  return Buffer.concat([head, Buffer.from(id, 'hex'), Buffer.alloc(4)]);
}

/** An assembly of the runtime, which names its symbols. */
export const RUNTIME_ASSEMBLY = join(DOTNET, 'shared/Microsoft.NETCore.App/3.1.23/System.Buffers.dll');

function compile(name: string, source: string, args: readonly string[]): string {
  const folder = mkdtempSync(join(tmpdir(), 'emballage-test-'));
  const [from, to] = [join(folder, 'Source.cs'), join(folder, name)];
  writeFileSync(from, source);
  const { status, stdout, stderr } = spawnSync('mcs', ['-target:library', `-out:${to}`, ...args, from], {
    encoding: 'utf8',
  });
  if (status !== 0) throw new Error(stdout + stderr);
  return to;
}

/** The text of a `*.deps.json`: of each library its kind and its assets by group. */
export function depsText(
  libraries: Readonly<
    Record<string, { readonly type?: string; readonly [group: string]: object | string | undefined }>
  >,
  target = '.NETCoreApp,Version=v8.0',
): string {
  const of = Object.entries(libraries).map(([key, { type: _type, ...groups }]) => [key, groups] as const);
  const types = Object.entries(libraries).map(([key, { type = 'package' }]) => [
    key,
    { type, serviceable: type === 'package', sha512: '' },
  ]);
  const document = {
    runtimeTarget: { name: target, signature: '' },
    targets: { [target]: Object.fromEntries(of) as object },
    libraries: Object.fromEntries(types) as object,
  };
  return JSON.stringify(document, null, 2);
}

export function configText(version: string, more: object = {}): string {
  const framework = { name: 'Microsoft.NETCore.App', version };
  const configProperties = { 'System.Globalization.Invariant': true };
  return JSON.stringify({ runtimeOptions: { framework, configProperties, ...more } }, null, 2);
}

export const DESTINATION = `destination: slipway
arch: [x86_64, arm64]
accepts: { zip: { packed: 64 MiB }, image: {} }
runtimes:
  dotnet 3: { glibc: "2.36" }
  dotnet 8: { glibc: "2.36" }
  dotnet 9: { musl: "1.2" }
`;

/** A project with one .NET function in `f/`, and keys of its own. */
export function dotnetProject(published: Files, keys: Readonly<Record<string, unknown>> = {}): string {
  const spec = {
    source: 'f',
    runtime: 'dotnet 8',
    entry: 'Dues.dll#Fernhaven.Dues.Export.Run',
    artifact: 'zip',
    arch: ['x86_64'],
    destination: 'slipway',
    settings: { DUES_UNIT: { sample: 'EUR' } },
    ...keys,
  };
  return folderWith({
    ...Object.fromEntries(Object.entries(published).map(([path, content]) => [`f/${path}`, content])),
    'emballage.yaml': JSON.stringify({
      project: 'fernhaven-tides',
      destinations: { slipway: 'slipway.yaml' },
      functions: { dues: spec },
    }),
    'slipway.yaml': DESTINATION,
    'event.json': readFileSync(join(DEMO, 'fernhaven-tides/events/dues-export/june.json')),
  });
}

/** What a publish folder has at least. */
export const PUBLISHED_FILES: Files = {
  'Dues.dll': DUES,
  'Fernhaven.Tariff.dll': TARIFF,
  'rates.txt': RATES,
  'Dues.runtimeconfig.json': configText('8.0.0'),
};
