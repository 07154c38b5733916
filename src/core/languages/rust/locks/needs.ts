/** What a Rust function needs from others, as Cargo has locked it. */
import { readTextNow } from '../../../disk/to-read';
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { parse } from 'smol-toml';
import { joinPath, upwards } from '../../../base/paths';
import { contentDigest } from '../../../disk/digest';
import type { Project } from '../../../project/targets';
import type { FunctionSpec } from '../../../sheet';
import { findLock, refuseProblems } from '../../compiled/needs';
import type { StatedNeeds } from '../../language';
import { readCargoLock, type LockedCrate } from './cargo-lock';

const LOCK = 'Cargo.lock';

export interface RustNeeds extends StatedNeeds {
  readonly crates: readonly LockedCrate[];
}

/** Undefined where it needs nothing, or has all of it in the project. */
export function readRustNeeds(project: Project, spec: FunctionSpec<'rust'>): RustNeeds | undefined {
  const lock = findLock(project, spec, LOCK);
  if (lock === undefined) return undefined;
  const { crates, problems } = readCargoLock(lock.text, lock.path);
  if (crates.length + problems.length === 0 || hasVendored(project, spec)) return undefined;
  refuseProblems(spec, problems);
  const rows = crates.map(({ name, version, sha256, by }) => ({ name, version, sha256, by }));
  const inputs = contentDigest(JSON.stringify([rows, [], spec.sources])).slice(0, 32);
  return { files: [lock.path], inputs, crates };
}

/** The lock where it lies or would lie, and settings of Cargo, which may say where crates come from. */
export function lockFiles(_project: Project, spec: FunctionSpec<'rust'>): string[] {
  const locks = spec.needs?.kind === 'file' ? [spec.needs.path] : upwards(spec.source).map((at) => joinPath(at, LOCK));
  return [...locks, ...upwards(spec.source).flatMap(settingsIn)];
}

function settingsIn(folder: string): string[] {
  return ['.cargo/config.toml', '.cargo/config'].map((name) => joinPath(folder, name));
}

/** The settings of Cargo in the project that count for a function, the nearest first: their paths. */
export function cargoSettings(project: Project, spec: FunctionSpec): string[] {
  return upwards(spec.source).flatMap(
    (folder) => settingsIn(folder).find((path) => existsSync(join(project.root, path))) ?? [],
  );
}

/** Whether the project says that crates come from a folder of its own. */
function hasVendored(project: Project, spec: FunctionSpec): boolean {
  return cargoSettings(project, spec).some((path) => {
    try {
      const { source } = parse(readTextNow(join(project.root, path))) as {
        source?: Record<string, object>;
      };
      return Object.values(source ?? {}).some((one) => 'directory' in one);
    } catch {
      return false;
    }
  });
}
