/** What a function needs from others: its requirements, read from wherever the sheet says they stand. */
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { EmballageError, type Problem } from '../../../base/errors';
import { baseOf, joinPath } from '../../../base/paths';
import { count } from '../../../base/text';
import { contentDigest } from '../../../disk/digest';
import { readTextFile } from '../../../disk/read-text';
import { pythonTarget } from '../versions/environment';
import { readPyproject } from './pyproject';
import { parseRequirement } from '../versions/requirement';
import { readRequirementsFile } from './requirements-txt';
import type { StatedRequirement } from './resolve';
import type { StatedIndex } from '../sources/pip-settings';
import type { PythonTarget } from '../versions/tags';
import type { Arch, FunctionSpec, Needs } from '../../../sheet';
import { runtimeOf } from '../../../project/destination-runtime';
import { NO_INPUTS, type Inputs } from '../../../project/inputs';
import type { Project } from '../../../project/targets';

export interface FunctionNeeds {
  readonly stated: readonly StatedRequirement[];
  /** Further sources that a requirements file names: addresses of pages, or folders of the project. */
  readonly links: readonly string[];
  /** What a requirements file says of indexes. */
  readonly indexes: readonly StatedIndex[];
  /** The `pylock.toml` that has everything settled already, relative to the project, with its text. */
  readonly settled?: { readonly path: string; readonly text: string };
  /** Files of the project that state requirements. */
  readonly files: readonly string[];
  /** Digest of everything that the settling depends on. */
  readonly inputs: string;
}

const MAX_BYTES = 4 * 1024 * 1024;
/** Looked for in the source folder, in this order. */
const NEED_FILES = ['pylock.toml', 'requirements.txt', 'pyproject.toml'] as const;

/**
 * The needs of a function; undefined where it has none.
 * @throws EmballageError REQUIREMENTS_INVALID with every mistake
 */
export function readNeeds(project: Project, spec: FunctionSpec): FunctionNeeds | undefined {
  const needs = spec.needs ?? findNeeds(project, spec);
  if (needs === undefined) return undefined;
  const found = needs.kind === 'list' ? fromList(spec, needs) : fromFile(project, needs);
  if (found.problems.length > 0)
    throw new EmballageError('REQUIREMENTS_INVALID', {
      doing: `reading what ${spec.name} needs`,
      found: count(found.problems.length, 'mistake'),
      mend: 'mend what is listed',
      problems: found.problems,
    });
  const { stated, links, indexes = [], settled, files } = found;
  const inputs = digestOf(project, spec, { stated, links, indexes, settled: settled?.text });
  return { stated, links, indexes, files, inputs, ...(settled !== undefined && { settled }) };
}

/** Everything but the source folder that the bytes of a Python function depend on. */
export function dependsOn(project: Project, spec: FunctionSpec): Inputs {
  return { ...NO_INPUTS, files: readNeeds(project, spec)?.files ?? [] };
}

/** The targets of a function by architecture, as its destination describes them. */
export function pythonTargets(project: Project, spec: FunctionSpec): Map<Arch, PythonTarget> {
  const runtime = runtimeOf(project, spec);
  const python = runtime?.patch ?? spec.runtime.version;
  const libc = {
    ...(runtime?.glibc !== undefined && { glibc: runtime.glibc }),
    ...(runtime?.musl !== undefined && { musl: runtime.musl }),
  };
  return new Map(spec.archs.map((arch) => [arch, pythonTarget(arch, python, libc)]));
}

interface Found {
  readonly files: readonly string[];
  readonly stated: readonly StatedRequirement[];
  readonly links: readonly string[];
  readonly indexes?: readonly StatedIndex[];
  readonly problems: readonly Problem[];
  readonly settled?: { readonly path: string; readonly text: string };
}

function findNeeds(project: Project, spec: FunctionSpec): Needs | undefined {
  const name = NEED_FILES.find((file) => existsSync(join(project.root, spec.source, file)));
  return name === undefined ? undefined : { kind: 'file', path: joinPath(spec.source, name), groups: [] };
}

function fromList(spec: FunctionSpec, needs: Needs & { kind: 'list' }): Found {
  const stated: StatedRequirement[] = [];
  const problems: Problem[] = [];
  for (const { text, place } of needs.items) {
    const reading = parseRequirement(text);
    if (reading.kind === 'fault') {
      const { expected, found } = reading.fault;
      problems.push({ place, expected, found, mend: 'write it as `name>=1.2; marker`' });
    } else if (reading.requirement.url !== undefined) {
      const mend = 'take it from an index or a folder of wheels';
      problems.push({ place, expected: 'a name with versions', found: `\`${text}\``, mend });
    } else stated.push({ requirement: reading.requirement, by: spec.name });
  }
  return { stated, links: [], files: [], problems };
}

function fromFile(project: Project, { path, groups }: Needs & { kind: 'file' }): Found {
  const read = (file: string): string =>
    readTextFile(join(project.root, file), {
      doing: 'reading requirements',
      shown: file,
      maxBytes: MAX_BYTES,
      mendMissing: 'correct the path or write the file',
    });
  const name = baseOf(path);
  if (/^pylock(?:\..+)?\.toml$/.test(name))
    return { stated: [], links: [], files: [path], problems: [], settled: { path, text: read(path) } };
  if (name.endsWith('.toml'))
    return { links: [], files: [path], ...readPyproject({ text: read(path), path, shown: path, groups }) };
  return readRequirementsFile({ path, read, shown: (file) => file });
}

function digestOf(
  project: Project,
  spec: FunctionSpec,
  {
    stated,
    links,
    indexes,
    settled,
  }: Pick<FunctionNeeds, 'stated' | 'links' | 'indexes'> & { readonly settled: string | undefined },
): string {
  const runtime = runtimeOf(project, spec);
  const inputs = [
    stated.map(({ requirement, isConstraint, hashes }) => [requirement.text, isConstraint ?? false, hashes ?? []]),
    links,
    settled ?? null,
    spec.sources,
    [...pythonTargets(project, spec)],
    runtime?.provides ?? [],
    ...(indexes.length > 0 ? [indexes.map(({ option, at }) => [option, at])] : []),
  ];
  return contentDigest(JSON.stringify(inputs)).slice(0, 32);
}
