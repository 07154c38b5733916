/** Publishes a project with the SDK: from a copy of its sources, with the locked packages and no others, the same everywhere. */
import {
  copyFileSync,
  existsSync,
  lstatSync,
  mkdirSync,
  mkdtempSync,
  renameSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { dirname, join } from 'node:path';
import { EmballageError, type Problem } from '../../../base/errors';
import { baseOf } from '../../../base/paths';
import { count, printable } from '../../../base/text';
import { contentDigest, fileDigest } from '../../../disk/digest';
import { stampOf } from '../../../disk/stamp';
import { filesBelow } from '../../../disk/unpack/stored-zip';
import { FILE_MODE, PROGRAM_MODE, type FileSet, type LeftOut, type PackedFile } from '../../../fileset/model';
import { packageStore } from '../../../project/user-packages';
import type { Arch } from '../../../sheet';
import { runProgram } from '../../../toolchains/run-program';
import type { AssemblyRequest } from '../../language';
import { KEPT } from '../caches';
import { systemOf } from '../locks/needs';
import type { ReadyPackage } from '../packages';
import { frameworkWord } from '../published/runtime-config';
import { ridOf } from '../published/systems';
import { projectSources } from '../sources';
import { sdkFor } from './running';

const PATIENCE_MS = 20 * 60_000;
const MOST_OUTPUT_BYTES = 64 * 1024 * 1024;
const MOST_PROBLEMS = 50;
export interface Published {
  readonly entries: readonly PackedFile[];
  readonly leftOut: readonly LeftOut[];
  readonly toolchains: readonly string[];
  readonly sourceDigests: ReadonlyMap<string, string>;
}

interface Sources {
  /** Path in the project, and its digest. */
  readonly files: ReadonlyMap<string, string>;
  readonly projectFile: string;
}

/** @throws EmballageError TOOLCHAIN_MISSING, COMPILE_FAILED */
export async function publish(
  request: AssemblyRequest<'dotnet'>,
  whole: FileSet,
  { projectFile, ready }: { readonly projectFile: string; readonly ready: readonly ReadyPackage[] },
): Promise<Published> {
  const { project, spec, arch, machine } = request;
  const sdk = await sdkFor(machine, spec.name, spec.runtime.version);
  const sources = sourcesOf(request, projectFile);
  const options = optionsOf(request);
  const key = contentDigest(
    JSON.stringify([sdk.version, options, [...sources.files], ready.map(({ locked }) => locked.sha256)]),
  ).slice(0, 40);
  const folder = project.state.file(KEPT.published, key);
  if (!existsSync(folder)) await publishInto(folder, { request, sources, ready, options, program: sdk.program });
  const entries = filesBelow(folder)
    .sort((a, b) => (a.name < b.name ? -1 : 1))
    .map(({ name, source }): PackedFile => {
      const stat = lstatSync(source);
      return {
        path: name,
        kind: 'file',
        source,
        size: stat.size,
        stamp: stampOf(stat),
        mode: (stat.mode & 0o111) !== 0 && isProgramName(name) ? PROGRAM_MODE : FILE_MODE,
        origin: { from: 'generated', by: `dotnet sdk ${sdk.version}` },
        reason: name === spec.entry.file ? { why: 'entry' } : { why: 'made-for', by: projectFile },
        sha256: fileDigest(source),
      };
    });
  const own = whole.entries.map(({ path }): LeftOut => ({ path, by: 'compiler', kind: 'file' }));
  const system = systemOf(project, spec, arch);
  return {
    entries: entries.map((entry) => withOrigin(entry, ready)),
    leftOut: [...whole.leftOut, ...own],
    toolchains: [`dotnet sdk ${sdk.version} for ${ridOf(system)}`],
    sourceDigests: sources.files,
  };
}

/** An executable has no ending. */
function isProgramName(name: string): boolean {
  return !/\.[^./]+$/.test(name);
}

/** A file that a locked package has came from there. */
function withOrigin(entry: PackedFile, ready: readonly ReadyPackage[]): PackedFile {
  for (const { locked, unpacked } of ready) {
    const found = unpacked.files.find((one) => one.sha256 === entry.sha256 && baseOf(one.path) === baseOf(entry.path));
    if (found === undefined) continue;
    const { name, version, by } = locked;
    return { ...entry, origin: { from: 'package', name, version, at: found.path }, reason: { why: 'needed', by } };
  }
  return entry;
}

function sourcesOf({ project, spec, knownDigests }: AssemblyRequest<'dotnet'>, projectFile: string): Sources {
  const files = projectSources(project, spec);
  const digests = files.map((path) => [path, knownDigests.get(path) ?? fileDigest(join(project.root, path))] as const);
  return { files: new Map(digests), projectFile };
}

/** What the SDK is told; the same everywhere but for the target. */
function optionsOf({ project, spec, arch }: AssemblyRequest<'dotnet'>): {
  readonly rid: string;
  readonly flags: string[];
} {
  const rid = ridOf(systemOf(project, spec, arch));
  const { publish: kind } = spec.byLanguage;
  return {
    rid,
    flags: [
      ...['-c', 'Release', '-f', frameworkWord(spec.runtime.version), '-r', rid],
      ...['--self-contained', kind === 'framework-dependent' ? 'false' : 'true'],
      `-p:PublishSingleFile=${String(kind === 'single-file')}`,
      // Without these, paths and times of the machine stand in what is compiled.
      ...['-p:Deterministic=true', '-p:ContinuousIntegrationBuild=true', '-p:DeterministicSourcePaths=true'],
      ...['-p:GenerateRuntimeConfigurationFiles=true', '-p:UseSharedCompilation=false', '-nodeReuse:false', '-nologo'],
    ],
  };
}

interface Publishing {
  readonly request: AssemblyRequest<'dotnet'>;
  readonly sources: Sources;
  readonly ready: readonly ReadyPackage[];
  readonly options: ReturnType<typeof optionsOf>;
  readonly program: string;
}

async function publishInto(target: string, { request, sources, ready, options, program }: Publishing): Promise<void> {
  const { project, onCompiling } = request;
  mkdirSync(dirname(target), { recursive: true });
  const scratch = mkdtempSync(join(dirname(target), '.publish-'));
  try {
    const src = join(scratch, 'src');
    for (const path of sources.files.keys()) {
      mkdirSync(dirname(join(src, path)), { recursive: true });
      copyFileSync(join(project.root, path), join(src, path));
    }
    const { store } = offlineFeed(scratch, project, ready);
    const out = join(scratch, 'out');
    const file = join(src, sources.projectFile);
    const run = (args: readonly string[]): Promise<void> => runSdk(program, args, { scratch, src, request });
    onCompiling(sources.projectFile);
    await run(['restore', file, '-r', options.rid, '--configfile', store, '--packages', join(scratch, 'packages')]);
    await run([
      ...['publish', file, '--no-restore', ...options.flags, '-o', out],
      `-p:PathMap=${src}=/src`,
      `-p:RestorePackagesPath=${join(scratch, 'packages')}`,
    ]);
    renameSync(out, target);
  } finally {
    rmSync(scratch, { recursive: true, force: true });
  }
}

/** The locked packages, and nothing else, as the SDK asks for them. */
function offlineFeed(
  scratch: string,
  project: AssemblyRequest<'dotnet'>['project'],
  ready: readonly ReadyPackage[],
): { readonly store: string } {
  const feed = join(scratch, 'feed');
  mkdirSync(feed);
  for (const { locked } of ready) copyFileSync(packageStore(project).pathOf(locked.sha256), join(feed, locked.file));
  const store = join(scratch, 'feeds.config');
  const body = `<packageSources><clear/><add key="locked" value="${feed}"/></packageSources>`;
  writeFileSync(store, `<?xml version="1.0" encoding="utf-8"?>\n<configuration>${body}</configuration>\n`);
  return { store };
}

/** Nothing of the machine gets in. */
async function runSdk(
  program: string,
  args: readonly string[],
  {
    scratch,
    src,
    request,
  }: { readonly scratch: string; readonly src: string; readonly request: AssemblyRequest<'dotnet'> },
): Promise<void> {
  const home = join(scratch, 'home');
  mkdirSync(home, { recursive: true });
  const { code, stdout, stderr } = await runProgram({
    program,
    args,
    cwd: src,
    env: {
      PATH: '/usr/local/bin:/usr/bin:/bin',
      HOME: home,
      LC_ALL: 'C.UTF-8',
      DOTNET_CLI_HOME: home,
      DOTNET_CLI_TELEMETRY_OPTOUT: '1',
      DOTNET_NOLOGO: '1',
      DOTNET_SKIP_FIRST_TIME_EXPERIENCE: '1',
      DOTNET_CLI_UI_LANGUAGE: 'en',
      NUGET_PACKAGES: join(scratch, 'packages'),
      MSBUILDDISABLENODEREUSE: '1',
      SOURCE_DATE_EPOCH: String(request.epochSeconds),
    },
    patienceMs: PATIENCE_MS,
    maxBytes: MOST_OUTPUT_BYTES,
  });
  if (code !== 0)
    throw failed(`${stdout}\n${stderr}`, args[0] ?? '', { src, name: request.spec.name, arch: request.arch });
}

/** `Export.cs(12,5): error CS1002: ; expected [/src/Dues.csproj]`. */
const MISTAKE = /^\s*(.+?)\((\d+),(\d+)(?:,\d+,\d+)?\): error (\w+): (.*?)(?: \[[^\]]*\])?$/;

function failed(
  log: string,
  step: string,
  { src, name, arch }: { readonly src: string; readonly name: string; readonly arch: Arch },
): EmballageError {
  const problems = new Map<string, Problem>();
  for (const line of log.split('\n')) {
    const [, file = '', row, column, code = '', message = ''] = MISTAKE.exec(line) ?? [];
    if (row === undefined) continue;
    const shown = file.replace(`${src}/`, '').replace(/^\/src\//, '');
    problems.set(line.trim(), {
      place: { file: shown, line: Number(row), column: Number(column) },
      expected: 'code that the compiler takes',
      found: `${printable(message)} (${code})`,
      mend: 'mend the line',
    });
  }
  const all = [...problems.values()].slice(0, MOST_PROBLEMS);
  return new EmballageError('COMPILE_FAILED', {
    doing: `publishing ${name} for ${arch} (\`dotnet ${step}\`)`,
    found: all.length === 0 ? 'an SDK that failed' : count(all.length, 'mistake'),
    mend: all.length === 0 ? 'see what it says below' : 'mend what is listed',
    ...(all.length > 0
      ? { problems: all }
      : {
          details: log
            .split('\n')
            .filter((line) => line.trim() !== '')
            .slice(-12)
            .map((line) => printable(line.trim())),
        }),
  });
}
