/** What a function in native code needs from others, as its language has locked it. */
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { parse } from 'smol-toml';
import { EmballageError, type Problem } from '../../base/errors';
import { folderOf, joinPath } from '../../base/paths';
import { count } from '../../base/text';
import { contentDigest } from '../../disk/digest';
import { readTextFile } from '../../disk/read-text';
import { type GoFile, isSource, type LockedCrate, readCargoLock, readGoSum } from '.';
import type { FunctionSpec } from '../../sheet';
import type { Project } from '../../project/targets';

export interface NativeNeeds {
  readonly files: readonly string[];
  readonly inputs: string;
  readonly crates: readonly LockedCrate[];
  readonly modules: readonly GoFile[];
}

const MAX_BYTES = 16 * 1024 * 1024;
const LOCKS: Readonly<Record<string, string>> = { rust: 'Cargo.lock', go: 'go.sum' };

/**
 * The needs of a function; undefined where it has none, or has all of them in the project.
 * @throws EmballageError REQUIREMENTS_INVALID with every mistake
 */
export function readNativeNeeds(project: Project, spec: FunctionSpec): NativeNeeds | undefined {
  const name = LOCKS[spec.runtime.language];
  if (name === undefined || !isSource(spec.entry.file)) return undefined;
  const path = spec.needs?.kind === 'file' ? spec.needs.path : findUpwards(project, spec.source, name);
  if (path === undefined) return undefined;
  const text = readTextFile(join(project.root, path), {
    doing: 'reading requirements',
    shown: path,
    maxBytes: MAX_BYTES,
    mendMissing: 'correct the path or write the file',
  });
  const folder = folderOf(path);
  if (spec.runtime.language === 'go') {
    if (existsSync(join(project.root, folder, 'vendor/modules.txt'))) return undefined;
    const { files, problems } = readGoSum(text, path);
    return files.length + problems.length === 0 ? undefined : needsOf(spec, path, problems, { modules: files });
  }
  const { crates, problems } = readCargoLock(text, path);
  if (crates.length + problems.length === 0 || hasVendored(project, spec)) return undefined;
  return needsOf(spec, path, problems, { crates });
}

function needsOf(
  spec: FunctionSpec,
  path: string,
  problems: readonly Problem[],
  { crates = [], modules = [] }: { crates?: readonly LockedCrate[]; modules?: readonly GoFile[] },
): NativeNeeds {
  if (problems.length > 0)
    throw new EmballageError('REQUIREMENTS_INVALID', {
      doing: `reading what ${spec.name} needs`,
      found: count(problems.length, 'mistake'),
      mend: 'mend what is listed',
      problems,
    });
  const inputs = contentDigest(JSON.stringify([crates, modules, spec.sources])).slice(0, 32);
  return { files: [path], inputs, crates, modules };
}

/** The nearest file of that name in a folder or one above it, within the project; relative to it. */
export function findUpwards(project: Project, folder: string, name: string): string | undefined {
  for (let at = folder; ; at = folderOf(at)) {
    const path = joinPath(at, name);
    if (existsSync(join(project.root, path))) return path;
    if (at === '') return undefined;
  }
}

/** The settings of Cargo in the project that count for a function, the nearest first: their paths. */
export function cargoSettings(project: Project, spec: FunctionSpec): string[] {
  const found: string[] = [];
  for (let at = spec.source; ; at = folderOf(at)) {
    const path = ['.cargo/config.toml', '.cargo/config']
      .map((name) => joinPath(at, name))
      .find((one) => existsSync(join(project.root, one)));
    if (path !== undefined) found.push(path);
    if (at === '') return found;
  }
}

/** Whether the project says that crates come from a folder of its own. */
function hasVendored(project: Project, spec: FunctionSpec): boolean {
  return cargoSettings(project, spec).some((path) => {
    try {
      const { source } = parse(readFileSync(join(project.root, path), 'utf8')) as { source?: Record<string, object> };
      return Object.values(source ?? {}).some((one) => 'directory' in one);
    } catch {
      return false;
    }
  });
}
