/** Finds what runs .NET assemblies here: the runtime with its frameworks and its SDK, and Mono. */
import { existsSync, readdirSync, realpathSync } from 'node:fs';
import { dirname, join } from 'node:path';
import type { Machine } from '../../../toolchains/machine';
import { askProgram, programsNamed } from '../../../toolchains/programs';
import { compareVersions, parseVersion } from '../packages/version';
import { CORE, frameworkVersion, rollsTo } from '../published/runtime-config';

export interface DotnetHome {
  /** Absolute paths of the program and of its folder. */
  readonly path: string;
  readonly home: string;
  /** Versions of the framework, and of the SDK; the newest first. */
  readonly frameworks: readonly string[];
  readonly sdks: readonly string[];
}

export interface Mono {
  readonly path: string;
  readonly version: string;
}

export interface Runtimes {
  readonly homes: readonly DotnetHome[];
  readonly monos: readonly Mono[];
}

const INSTALLED = ['/usr/lib/dotnet', '/usr/share/dotnet', '/usr/local/share/dotnet'];

/** Looked for once: on the PATH, in DOTNET_ROOT, and where systems install it. */
export function runtimesOf(machine: Machine): Promise<Runtimes> {
  return machine.once('dotnet', async () => {
    const own = machine.variable('DOTNET_ROOT');
    const folders = [
      ...(own === undefined ? [] : [own]),
      ...programsNamed(/^dotnet$/, machine.searchPath).map((path) => dirname(realpathSync(path))),
      ...INSTALLED,
    ];
    const homes = [...new Set(folders)].flatMap((home) => look(home) ?? []);
    const monos = await Promise.all(programsNamed(/^mono$/, machine.searchPath).map(lookAtMono));
    return { homes, monos: monos.flatMap((one) => one ?? []) };
  });
}

function look(home: string): DotnetHome | undefined {
  const path = join(home, 'dotnet');
  if (!existsSync(path)) return undefined;
  return { path, home, frameworks: versionsIn(join(home, 'shared', CORE)), sdks: versionsIn(join(home, 'sdk')) };
}

function versionsIn(folder: string): string[] {
  const names = existsSync(folder) ? readdirSync(folder) : [];
  return newestFirst(names);
}

/** Names that are versions. */
export function newestFirst(names: readonly string[]): string[] {
  const versions = names.flatMap((name) => {
    const version = parseVersion(name);
    return version === undefined ? [] : [{ name, version }];
  });
  return versions.sort((a, b) => compareVersions(b.version, a.version)).map(({ name }) => name);
}

async function lookAtMono(path: string): Promise<Mono | undefined> {
  const [, version] = /version (\d+(?:\.\d+)+)/.exec((await askProgram(path, ['--version'])) ?? '') ?? [];
  return version === undefined ? undefined : { path, version };
}

export interface Chosen {
  readonly home: DotnetHome;
  readonly version: string;
}

/**
 * What runs functions for a version: that version, or else the oldest newer one, as a host with `rollForward: Major` would.
 * @param version `8`
 */
export function chooseRuntime({ homes }: Runtimes, version: string): Chosen | undefined {
  const all = homes.flatMap((home) => home.frameworks.map((one) => ({ home, version: one })));
  const own = all.find((one) => rollsTo(`${frameworkVersion(version)}.0`, 'LatestMinor', one.version));
  if (own !== undefined) return own;
  const newer = all.filter((one) => rollsTo(`${frameworkVersion(version)}.0`, 'Major', one.version));
  const [oldest] = newest(newer).reverse();
  const major = oldest?.version.split('.')[0];
  return newest(newer).find((one) => one.version.split('.')[0] === major);
}

function newest(all: readonly Chosen[]): Chosen[] {
  const order = newestFirst(all.map(({ version }) => version));
  return order.flatMap((version) => all.find((one) => one.version === version) ?? []);
}

/** The SDK that publishes for a version: the oldest that can. */
export function chooseSdk({ homes }: Runtimes, version: string): Chosen | undefined {
  const all = homes.flatMap((home) => home.sdks.map((one) => ({ home, version: one })));
  return newest(all.filter((one) => Number(one.version.split('.')[0]) >= Number(version))).at(-1);
}

/** How to get a runtime of that version. */
export function dotnetMend(version: string): string {
  return `install the runtime of .NET ${version} or newer (the package dotnet-runtime-${frameworkVersion(version)} of its maker) so that \`dotnet\` is on the PATH or in DOTNET_ROOT`;
}
