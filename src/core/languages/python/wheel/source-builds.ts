/**
 * Wheels of packages that come as source distributions only: built through PEP 517 in a folder of its own, with build
 * requirements that were settled here, then packed anew so that the bytes depend on the content alone.
 */
import { mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { makeScratch, removeScratch } from '../../../disk/scratch';
import { gunzip } from '../../../disk/unpack/unpack-tarball';
import { holdToBound } from '../../../disk/unpack/unpacked-bound';
import { EmballageError } from '../../../base/errors';
import { printable } from '../../../base/text';
import { readTar } from '../../../formats/tar';
import { openZip, readEntry } from '../../../formats/zip';
import { packWheel, type WheelMember } from './make-wheel';
import { PythonProvider } from '../sources/provider';
import { buildSystemOf, type BuildSystem } from '../locks/pyproject';
import { parseRequirement } from '../versions/requirement';
import { resolveRequirements, type ResolvedPackage } from '../locks/resolve';
import { parseWheelName, targetTags, type PythonTarget } from '../versions/tags';
import type { PythonSource } from '../sources/stated-sources';
import { unpackWheel } from './wheel';
import { present } from '../../../base/present';
import { mostUnpacked, packageStore, unpackedFolder } from '../../../project/user-packages';
import type { Project } from '../../../project/targets';
import type { HttpClient, PackageFile } from '../../../sources';
import { KEPT } from '../caches';
import { callBackend } from '../run/build-wheel';
import type { Machine } from '../../../toolchains/machine';
import { interpretersOf, type PythonRuntime } from '../run/interpreters';

export interface SourceBuildRequest {
  readonly machine: Machine;
  readonly target: PythonTarget;
  readonly sources: readonly PythonSource[];
  readonly http: HttpClient;
  readonly project: Project;
}

export interface BuiltWheel {
  readonly file: string;
  readonly sha256: string;
  readonly size: number;
  /** What it was built with, `setuptools 80.1.0`. */
  readonly with: readonly string[];
}

/**
 * @param sdist the source distribution
 * @param prefer versions of build requirements to stay with, by name
 * @throws EmballageError PACKAGE_INVALID when it does not build, or not for the target
 */
export async function buildFromSource(
  request: SourceBuildRequest,
  sdist: PackageFile,
  prefer: ReadonlyMap<string, string> = new Map(),
): Promise<BuiltWheel> {
  const python = await interpreterFor(request, sdist.file);
  const stored = await packageStore(request.project).get(sdist, request.http);
  const folder = makeScratch('source');
  try {
    const source = unpackSource(stored.path, sdist.file, join(folder, 'source'), mostUnpacked(request.project));
    const system = readBuildSystem(source);
    const target = join(folder, 'wheel');
    mkdirSync(target);
    const settle = (requirements: readonly string[]) => settleTools(request, python, sdist.file, requirements, prefer);
    const call = { backend: system.backend, backendPath: system.backendPath, source, target };
    const first = await settle(system.requires);
    const asked = await callBackend(
      python.path,
      { ...call, hook: 'requires', paths: first.paths, searchPath: request.machine.searchPath },
      sdist.file,
    );
    const more = Array.isArray(asked) ? asked.map(String) : [];
    const tools = more.length === 0 ? first : await settle([...system.requires, ...more]);
    await callBackend(
      python.path,
      { ...call, hook: 'wheel', paths: tools.paths, searchPath: request.machine.searchPath },
      sdist.file,
    );
    const [made = ''] = readdirSync(target).filter((name) => name.endsWith('.whl'));
    return { ...takeWheel(request, join(target, made), made, sdist.file), with: tools.names };
  } finally {
    removeScratch(folder);
  }
}

async function interpreterFor({ machine, target }: SourceBuildRequest, file: string): Promise<PythonRuntime> {
  const minor = target.python.split('.').slice(0, 2).join('.');
  const python = (await interpretersOf(machine)).find((one) => one.minor === minor);
  if (python !== undefined) return python;
  throw new EmballageError('TOOLCHAIN_MISSING', {
    doing: 'building a wheel from source',
    where: printable(file),
    expected: `Python ${minor} on this machine`,
    found: 'none',
    mend: `install Python ${minor}, or choose a version of the package that has a wheel`,
  });
}

/** Gives the folder that the archive holds. */
function unpackSource(path: string, file: string, folder: string, mostBytes: number): string {
  const bytes = gunzip(readFileSync(path), file, mostBytes);
  const tops = new Set<string>();
  for (const entry of readTar(bytes, file)) {
    const target = join(folder, entry.path);
    tops.add(entry.path.split('/')[0] ?? '');
    if (entry.kind === 'folder') mkdirSync(target, { recursive: true });
    else if (entry.kind === 'file') {
      mkdirSync(dirname(target), { recursive: true });
      writeFileSync(target, entry.bytes, { mode: (entry.mode & 0o100) !== 0 ? 0o755 : 0o644 });
    } else throw badSource(file, 'files and folders', `a link, ${printable(entry.path)}`);
  }
  const [top, other] = [...tops].filter((name) => name !== '');
  if (top === undefined || other !== undefined)
    throw badSource(file, 'one folder in it', `${String(tops.size)} things`);
  return join(folder, top);
}

function readBuildSystem(source: string): BuildSystem {
  const text = readdirSync(source).includes('pyproject.toml')
    ? readFileSync(join(source, 'pyproject.toml'), 'utf8')
    : '';
  return buildSystemOf(text);
}

/** Settles and unpacks what a backend needs, for the interpreter that runs here. */
async function settleTools(
  request: SourceBuildRequest,
  python: PythonRuntime,
  file: string,
  requirements: readonly string[],
  prefer: ReadonlyMap<string, string>,
): Promise<{ readonly paths: string[]; readonly names: string[] }> {
  const { machine, sources, http, project } = request;
  const target: PythonTarget = {
    arch: machine.arch,
    python: python.version,
    ...present({ glibc: machine.glibc() }),
  };
  const store = packageStore(project);
  const metadataFolder = project.state.folder(KEPT.metadata);
  const provider = new PythonProvider({ sources, http, store, metadataFolder, target });
  const stated = requirements.map((text) => {
    const reading = parseRequirement(text);
    if (reading.kind === 'requirement') return { requirement: reading.requirement, by: file };
    throw badSource(file, 'build requirements that can be read', `\`${printable(text)}\``);
  });
  const resolved = await resolveRequirements({
    name: `the build of ${file}`,
    target,
    requirements: stated,
    source: provider,
    provided: new Set(),
    prefer,
  });
  const paths: string[] = [];
  for (const one of resolved) paths.push(await unpackTool(request, one));
  return { paths, names: resolved.map(({ name, candidate }) => `${name} ${candidate.version.text}`) };
}

async function unpackTool({ http, project }: SourceBuildRequest, tool: ResolvedPackage): Promise<string> {
  const { path, sha256 } = await packageStore(project).get(tool.candidate.file, http);
  const wheel = await unpackWheel({
    path,
    file: tool.candidate.file.file,
    folder: unpackedFolder(project, sha256),
    mostBytes: mostUnpacked(project),
  });
  return wheel.folder;
}

/** Packs the wheel anew and takes it into the store, if it fits the target. */
function takeWheel(request: SourceBuildRequest, path: string, file: string, sdist: string): Omit<BuiltWheel, 'with'> {
  const name = parseWheelName(file);
  const takes = new Set(targetTags(request.target));
  if (name?.tags.some((tag) => takes.has(tag)) !== true)
    throw badSource(
      sdist,
      `a wheel for ${request.target.arch}, Python ${request.target.python}`,
      `\`${printable(file)}\`: it compiles code, for the machine that it was built on`,
    );
  const bytes = readFileSync(path);
  const source = { size: bytes.length, read: (at: number, length: number) => bytes.subarray(at, at + length) };
  const { entries } = openZip(source, file);
  const mostBytes = mostUnpacked(request.project);
  holdToBound(file, entries, mostBytes);
  const members = entries.flatMap((entry): WheelMember[] =>
    entry.kind === 'file' ? [{ path: entry.path, content: Buffer.from(readEntry(source, entry, mostBytes)) }] : [],
  );
  const info = members.find((member) => member.path.endsWith('.dist-info/METADATA'))?.path.split('/')[0] ?? '';
  const content = members.filter((member) => !member.path.startsWith(`${info}/RECORD`));
  return { file, ...packageStore(request.project).put(packWheel(info, content)) };
}

function badSource(file: string, expected: string, found: string): EmballageError {
  return new EmballageError('PACKAGE_INVALID', {
    doing: 'building a wheel from source',
    where: printable(file),
    expected,
    found,
    mend: 'choose a version that has a wheel, or make the wheel yourself and name its folder as a source',
  });
}
