/** What a JVM function needs from others: a list of artifacts, or a POM. */
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { EmballageError, type Problem } from '../../../base/errors';
import { folderOf, joinPath, settlePath } from '../../../base/paths';
import { count, printable } from '../../../base/text';
import { contentDigest } from '../../../disk/digest';
import { readTextFile } from '../../../disk/read-text';
import { parseWish, readPom, type Dependency } from '../maven';
import type { FunctionSpec, Needs } from '../../../sheet';
import { NO_INPUTS, type Inputs } from '../../../project/inputs';
import type { Project } from '../../../project/targets';

export interface JvmNeeds {
  /** What stands in the sheet; empty where a POM says it. */
  readonly listed: readonly Dependency[];
  /** The POM, relative to the project. */
  readonly pom?: string;
  /** Files of the project that state what is needed. */
  readonly files: readonly string[];
  /** Digest of everything that the settling depends on. */
  readonly inputs: string;
}

const POM = 'pom.xml';
const MAX_BYTES = 8 * 1024 * 1024;
const MAX_PARENTS = 64;

/**
 * The needs of a function; undefined where it has none.
 * @throws EmballageError REQUIREMENTS_INVALID with every mistake
 */
export function readJvmNeeds(project: Project, spec: FunctionSpec<'jvm'>): JvmNeeds | undefined {
  const needs = spec.needs ?? findPom(project, spec);
  if (needs === undefined) return undefined;
  const listed = needs.kind === 'list' ? readList(spec, needs) : [];
  const poms = needs.kind === 'file' ? withParents(project, needs.path) : [];
  const texts = poms.map((path) => readProjectPom(project, path));
  const within = spec.byLanguage.relocate.flatMap((one) => one.within ?? []);
  const inputs = [listed, texts, spec.sources, within, spec.runtime.version, spec.archs];
  return {
    listed,
    ...(needs.kind === 'file' && { pom: needs.path }),
    files: poms,
    inputs: contentDigest(JSON.stringify(inputs)).slice(0, 32),
  };
}

/** Everything but the source folder that the bytes of a JVM function depend on. */
export function dependsOn(project: Project, spec: FunctionSpec<'jvm'>): Inputs {
  const files = readJvmNeeds(project, spec)?.files ?? [];
  // A POM says where its parent would lie, whether it does or not.
  const parents = files.flatMap((path) => {
    const { parent } = readPom(readProjectPom(project, path), path);
    return parent === undefined ? [] : (parentFile(path, parent.relativePath) ?? []);
  });
  return { ...NO_INPUTS, files: [...files, ...parents] };
}

/** The text of a POM of the project. @throws EmballageError FILE_MISSING */
export function readProjectPom(project: Project, path: string): string {
  return readTextFile(join(project.root, path), {
    doing: 'reading a POM',
    shown: path,
    maxBytes: MAX_BYTES,
    mendMissing: 'correct `needs`, or write the file',
  });
}

/** The file of a parent that a POM of the project says lies beside it; undefined where it is not there. */
export function parentPath(project: Project, path: string, relativePath: string): string | undefined {
  const file = parentFile(path, relativePath);
  return file !== undefined && existsSync(join(project.root, file)) ? file : undefined;
}

function parentFile(path: string, relativePath: string): string | undefined {
  if (relativePath === '') return undefined;
  const target = settlePath(joinPath(folderOf(path), relativePath));
  if (target === undefined) return undefined;
  return target.endsWith('.xml') ? target : joinPath(target, POM);
}

function findPom(project: Project, spec: FunctionSpec): Needs | undefined {
  const path = joinPath(spec.source, POM);
  return existsSync(join(project.root, path)) ? { kind: 'file', path, groups: [] } : undefined;
}

/** A POM and the parents that lie in the project too. */
function withParents(project: Project, first: string): string[] {
  const found = [first];
  for (let i = 0; i < found.length && found.length < MAX_PARENTS; i++) {
    const path = found[i] ?? '';
    const { parent } = readPom(readProjectPom(project, path), path);
    const above = parent === undefined ? undefined : parentPath(project, path, parent.relativePath);
    if (above !== undefined && !found.includes(above)) found.push(above);
  }
  return found;
}

function readList(spec: FunctionSpec, needs: Needs & { kind: 'list' }): Dependency[] {
  const problems: Problem[] = [];
  const dependencies: Dependency[] = [];
  for (const { text, place } of needs.items) {
    const found = readNeed(text);
    if (found === undefined)
      problems.push({
        place,
        expected: '`group:artifact:version`, with `:classifier` if it has one',
        found: `\`${printable(text)}\``,
        mend: 'write it as `org.fernhaven:tides:1.2.0`, or `…:[1.2,2)` for a range',
      });
    else dependencies.push(found);
  }
  if (problems.length === 0) return dependencies;
  throw new EmballageError('REQUIREMENTS_INVALID', {
    doing: `reading what ${spec.name} needs`,
    found: count(problems.length, 'mistake'),
    mend: 'mend what is listed',
    problems,
  });
}

function readNeed(text: string): Dependency | undefined {
  const [, group, artifact, version, classifier = ''] =
    /^([\w.-]+):([\w.-]+):([^:\s]+)(?::([\w.-]+))?$/.exec(text.trim()) ?? [];
  if (group === undefined || artifact === undefined || version === undefined) return undefined;
  if (parseWish(version) === undefined) return undefined;
  const plain = { type: 'jar', scope: 'compile', isOptional: false, exclusions: [] };
  return { group, artifact, version, classifier, ...plain };
}
