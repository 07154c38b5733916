/** How .NET functions are run: on this machine, in the stand-in host, in images. */
import { besideAssembly } from '../published/beside';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { EmballageError } from '../../../base/errors';
import { printable } from '../../../base/text';
import { findProgram, valueIn } from '../../../disk/unpack/in-image';
import type { Explained, Running, Thrown } from '../../language';
import { CORE, frameworkVersion, rollsTo, runnerConfigText } from '../published/runtime-config';
import { chooseRuntime, chooseSdk, dotnetMend, newestFirst, runtimesOf } from './runtimes';

const RUNNER = join(__dirname, 'runner.dll');
/** What running functions never needs. */
const LEFT_OUT = /^(?:sdk|sdk-manifests|templates|packs|metadata|library-packs)$/;
/** It writes traces through a library that systems seldom have, and is in the framework’s list of files. */
const OPTIONAL = /\/libcoreclrtraceptprovider\.so$/;

export const running: Running<'dotnet'> = {
  async found(machine) {
    const { homes, monos } = await runtimesOf(machine);
    const rows = [
      ...homes.flatMap(({ path, frameworks, sdks }) => [
        ...frameworks.map((version) => ({
          name: 'dotnet',
          version,
          path,
          does: 'runs functions of runtime',
          what: `dotnet ${version.split('.')[0] ?? ''}`,
        })),
        ...sdks.map((version) => ({
          name: 'dotnet sdk',
          version,
          path,
          does: 'publishes for runtime',
          what: `dotnet ${version.split('.')[0] ?? ''} and older`,
        })),
      ]),
      ...monos.map(({ path, version }) => ({
        name: 'mono',
        version,
        path,
        does: 'runs functions of runtime',
        what: 'dotnet, where they ask for nothing that it does not have',
      })),
    ];
    const hasSdk = homes.some(({ sdks }) => sdks.length > 0);
    const missing = hasSdk
      ? []
      : [{ what: 'the .NET SDK', mend: 'install it to publish projects; publish folders do without' }];
    return { rows, document: { dotnet: homes, mono: monos }, missing };
  },
  async lookUp(machine, { runtime }) {
    const all = await runtimesOf(machine);
    const path = chooseRuntime(all, runtime.version)?.home.path ?? all.monos[0]?.path ?? null;
    return {
      runtime: runtime.text,
      found: path !== null,
      path,
      mend: path === null ? dotnetMend(runtime.version) : '',
    };
  },
  /** Newer frameworks run what is for older ones; Mono runs what asks for nothing of its own. */
  async choose(machine, { runtime: { version, text } }) {
    const all = await runtimesOf(machine);
    const chosen = chooseRuntime(all, version);
    if (chosen !== undefined) {
      const isOwn = rollsTo(`${frameworkVersion(version)}.0`, 'LatestMinor', chosen.version);
      const remark = `${text} is not on this machine; called with .NET ${chosen.version}, which is newer`;
      return { program: chosen.home.path, ...(!isOwn && { remark }) };
    }
    const [mono] = all.monos;
    if (mono !== undefined)
      return {
        program: mono.path,
        remark: `${text} is not on this machine; called with Mono ${mono.version}, which is another runtime`,
      };
    const older = all.homes.flatMap(({ frameworks }) => frameworks);
    throw new EmballageError('TOOLCHAIN_MISSING', {
      doing: 'looking for the runtime',
      expected: `.NET ${version} or newer`,
      found: older.length === 0 ? 'none on this machine' : `only ${older.join(', ')}`,
      mend: dotnetMend(version),
    });
  },
  host: {
    runner: RUNNER,
    beside(root) {
      const name = readdirSync(root).find((one) => one.endsWith('.runtimeconfig.json'));
      const own = name === undefined ? '{}' : readFileSync(join(root, name), 'utf8');
      return { 'runner.runtimeconfig.json': runnerConfigText(own) };
    },
    args: ({ program = '', runner }) => (program.endsWith('/dotnet') ? ['exec', runner] : [runner]),
    load: ({ root }, file) => ({ file: join(root, file) }),
    frames: /Emballage\.Host\.|System\.Reflection\.|System\.RuntimeMethodHandle|End of (?:inner|stack trace)/,
    explain: missingAssembly,
  },
  image: {
    // The same assembly starts functions here and in images.
    starter: { path: RUNNER, name: 'start.dll' },
    plan: ({ file }) => ({ file }),
    command: ({ program = '/usr/bin/dotnet', starters, root, hostEntry }) => [
      ...[program, 'exec', '--runtimeconfig', `${root}/${besideAssembly(hostEntry.file).config}`],
      ...[`${starters}/start.dll`, `${starters}/start.json`],
    ],
    find(files, env, version) {
      const home = valueIn(env, 'DOTNET_ROOT');
      const found = findProgram(files, env, ['dotnet'], [...(home === undefined ? [] : [home]), ...HOMES]);
      if (found === undefined) return undefined;
      const folder = files.tree.resolve(`${found.real.path.replace(/\/?dotnet$/, '')}/shared/${CORE}`);
      const versions = newestFirst([...(folder?.node.children?.keys() ?? [])]);
      const own = versions.find((one) => one.split('.')[0] === version) ?? versions[0];
      return { program: found.program, ...(own !== undefined && { version: own }) };
    },
    async base(machine, { runtime }) {
      const chosen = chooseRuntime(await runtimesOf(machine), runtime.version);
      if (chosen?.version.split('.')[0] !== runtime.version) return undefined;
      return {
        from: `.NET ${chosen.version} of this machine`,
        folder: ['usr/share/dotnet', chosen.home.home, LEFT_OUT],
        optional: OPTIONAL,
        // The libraries of languages and scripts are loaded by name, and are not taken along.
        env: ['DOTNET_ROOT=/usr/share/dotnet', 'DOTNET_SYSTEM_GLOBALIZATION_INVARIANT=1'],
      };
    },
  },
};

/** Where images have it. */
const HOMES = ['/usr/share/dotnet', '/usr/lib/dotnet', '/usr/local/share/dotnet'];

/** What is thrown when an assembly is not there. */
const OF_ASSEMBLIES = /^System\.(?:IO\.File(?:NotFound|Load)Exception|TypeInitializationException|TypeLoadException)$/;

function missingAssembly({ name, missing }: Thrown): Explained | undefined {
  if (missing === undefined || !OF_ASSEMBLIES.test(name) || /[/\\]/.test(missing)) return undefined;
  return {
    expected: `the assembly ${printable(missing)}`,
    found: `${printable(name)}: it is not in the artifact, or not in this version`,
    mend: `if tracing took it out, add \`keep: ["${printable(missing)}.dll"]\`; otherwise publish with what has it`,
  };
}

/** @throws EmballageError TOOLCHAIN_MISSING */
export async function sdkFor(
  machine: Parameters<typeof runtimesOf>[0],
  name: string,
  version: string,
): Promise<{ readonly program: string; readonly version: string }> {
  const all = await runtimesOf(machine);
  const sdk = chooseSdk(all, version);
  if (sdk !== undefined) return { program: sdk.home.path, version: sdk.version };
  const older = all.homes.flatMap(({ sdks }) => sdks);
  throw new EmballageError('TOOLCHAIN_MISSING', {
    doing: `publishing ${name}`,
    expected: `the .NET SDK ${version} or newer`,
    found: older.length === 0 ? 'none on this machine' : `only ${older.join(', ')}`,
    mend: 'install the SDK, or publish elsewhere (`dotnet publish -c Release`) and name the publish folder as `source`',
  });
}
