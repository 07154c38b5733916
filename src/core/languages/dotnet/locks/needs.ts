/** What a .NET function needs from others: a list, a project file, or a lock of the ecosystem's own. */
import { existsSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { EmballageError, type Problem } from '../../../base/errors';
import { baseOf, folderOf, joinPath } from '../../../base/paths';
import { count, printable } from '../../../base/text';
import { contentDigest } from '../../../disk/digest';
import { readTextFile } from '../../../disk/read-text';
import { libcOf } from '../../../project/destination-runtime';
import type { Project } from '../../../project/targets';
import type { Arch, FunctionSpec, Needs } from '../../../sheet';
import { LOCK_FILE } from '../packages/lock-file';
import { isPackageName } from '../packages/nuspec';
import { CENTRAL, PROJECT_FILE, readProjectFile, type ProjectNeeds } from '../packages/project-file';
import type { Wish } from '../packages/resolve';
import { parseRange } from '../packages/version';
import { frameworkWord } from '../published/runtime-config';
import type { System } from '../published/systems';

export interface DotnetNeeds {
  readonly wishes: readonly Wish[];
  /** In small letters. */
  readonly buildOnly: ReadonlySet<string>;
  /** The lock that has everything settled already, relative to the project, with its text. */
  readonly settled?: { readonly path: string; readonly text: string };
  /** Files of the project that state what is needed. */
  readonly files: readonly string[];
  /** Digest of everything that the settling depends on. */
  readonly inputs: string;
}

const MOST_BYTES = 8 * 1024 * 1024;

/** @throws EmballageError REQUIREMENTS_INVALID with every mistake */
export function readNeeds(project: Project, spec: FunctionSpec<'dotnet'>): DotnetNeeds | undefined {
  const needs = spec.needs ?? findNeeds(project, spec);
  if (needs === undefined) return undefined;
  const found = needs.kind === 'list' ? fromList(spec, needs) : fromFile(project, spec, needs.path);
  // A project without packages needs nothing.
  if (spec.needs === undefined && found.settled === undefined && found.wishes.length === 0) return undefined;
  const systems = spec.archs.map((arch) => systemOf(project, spec, arch));
  const stated = [found.wishes, [...found.buildOnly], found.settled?.text ?? null, spec.sources, systems];
  return { ...found, inputs: contentDigest(JSON.stringify(stated)).slice(0, 32) };
}

/** What packages are chosen for: framework, processor and C library of a target. */
export function systemOf(project: Project, spec: FunctionSpec<'dotnet'>, arch: Arch): System {
  return { arch, libc: libcOf(project, spec), version: Number(spec.runtime.version) };
}

/** The project file in the source folder, relative to the project; undefined for a publish folder. */
export function projectFileOf(project: Pick<Project, 'root'>, { source, name }: FunctionSpec): string | undefined {
  const folder = join(project.root, source);
  const found = existsSync(folder) ? readdirSync(folder).filter((one) => PROJECT_FILE.test(one)) : [];
  const [first, other] = found.sort();
  if (first === undefined) return undefined;
  if (other === undefined) return joinPath(source, first);
  throw new EmballageError('REQUIREMENTS_INVALID', {
    doing: `looking for the project of ${name}`,
    where: printable(source),
    expected: 'one project file in the folder',
    found: `${String(found.length)}: ${found.map(printable).join(', ')}`,
    mend: 'give each project a folder of its own',
  });
}

function findNeeds(project: Project, spec: FunctionSpec): Needs | undefined {
  const path = projectFileOf(project, spec);
  if (path === undefined) return undefined;
  const lock = joinPath(folderOf(path), LOCK_FILE);
  const file = existsSync(join(project.root, lock)) ? lock : path;
  return { kind: 'file', path: file, groups: [] };
}

type Found = Omit<DotnetNeeds, 'inputs'>;

function fromFile(project: Project, spec: FunctionSpec<'dotnet'>, path: string): Found {
  if (baseOf(path) !== LOCK_FILE) return readProject(project, spec, path);
  const beside = projectFileOf(project, spec);
  const { buildOnly, files } =
    beside === undefined ? { buildOnly: new Set<string>(), files: [] } : readProject(project, spec, beside);
  return { wishes: [], buildOnly, settled: { path, text: readText(project, path) }, files: [path, ...files] };
}

/** What a project file states. */
export function readProject(
  project: Pick<Project, 'root'>,
  spec: FunctionSpec<'dotnet'>,
  path: string,
): Pick<ProjectNeeds, 'wishes' | 'buildOnly' | 'files'> {
  const isThere = (file: string): boolean => existsSync(join(project.root, file));
  const read = (file: string): string => readText(project, file);
  return readProjectFile(path, { read, isThere, framework: frameworkWord(spec.runtime.version) });
}

function readText({ root }: Pick<Project, 'root'>, file: string): string {
  return readTextFile(join(root, file), {
    doing: 'reading what is needed',
    shown: file,
    maxBytes: MOST_BYTES,
    mendMissing: 'correct `needs`, or write the file',
  });
}

function fromList(spec: FunctionSpec, needs: Needs & { kind: 'list' }): Found {
  const problems: Problem[] = [];
  const wishes: Wish[] = [];
  for (const { text, place } of needs.items) {
    const [, name = '', range = ''] = /^([^/\s]+)\/(.+)$/.exec(text.trim()) ?? [];
    const read = isPackageName(name) ? parseRange(range) : undefined;
    if (read !== undefined && read !== 'floating') wishes.push({ name, range });
    else
      problems.push({
        place,
        expected: read === 'floating' ? 'a version that stays' : 'a package and its version',
        found: `\`${printable(text)}\``,
        mend: 'write it as `Name/1.2.0` for this or a later one, `Name/[1.2.0]` for just this one, `Name/[1.2,2)` for a range',
      });
  }
  if (problems.length === 0) return { wishes, buildOnly: new Set(), files: [] };
  throw new EmballageError('REQUIREMENTS_INVALID', {
    doing: `reading what ${spec.name} needs`,
    found: count(problems.length, 'mistake'),
    mend: 'mend what is listed',
    problems,
  });
}

/** Files of a source folder that state what is needed, and are not packed. */
export function statesNeeds(name: string): boolean {
  return name === LOCK_FILE || name === CENTRAL || PROJECT_FILE.test(name);
}
