/** What a build leaves for the next look: where its index lies, and what its outputs look like. */
import { lstatSync, type Stats } from 'node:fs';
import { join } from 'node:path';
import { namesIn } from '../../disk/names-in';
import { stampOf, type Stamp } from '../../disk/stamp';
import { KINDS } from '../../project/state/state';
import type { Project } from '../../project/targets';
import type { Arch, FunctionSpec } from '../../sheet';
import type { BuildRequest, BuiltFunction, BuiltTarget } from './model';
import type { StatIndex, TargetRecord } from './stat-index';

/** The architectures of a function that are wanted. */
export function archsOf(spec: FunctionSpec, part: BuildRequest['part']): readonly Arch[] {
  return part === undefined ? spec.archs : spec.archs.filter((arch) => part({ spec, arch }));
}

/** What the index says of targets, with what their files look like now. */
export function recordsOf(project: Project, targets: readonly BuiltTarget[]): Record<string, TargetRecord> {
  const records: Record<string, TargetRecord> = {};
  for (const target of targets) {
    const artifact = outputStamp(join(project.root, target.artifact));
    const waybill = outputStamp(join(project.root, target.waybill));
    if (artifact === undefined || waybill === undefined) continue;
    const { sha256, size, unpacked, files, trimmed } = target;
    records[target.arch] = { sha256, size, unpacked, files, trimmed, artifact, waybill };
  }
  return records;
}

/** What a build tells of a function that is as it was. */
export function asBefore(targets: readonly BuiltTarget[], { leftOut }: Pick<StatIndex, 'leftOut'>): BuiltFunction {
  return { targets, hashed: 0, packed: 0, leftOut };
}

/** Absolute path of the stat index of a function. */
export function indexPath({ state }: Pick<Project, 'state'>, { name }: Pick<FunctionSpec, 'name'>): string {
  return state.file(KINDS.index, `${name}.index`);
}

/**
 * The stamp of an output, without its change time: that moves whenever the store links or drops the same content.
 * @returns undefined where neither a file nor a folder, as images are, lies there
 */
export function outputStamp(path: string): Stamp | undefined {
  const stat = lookAt(path);
  if (stat?.isFile() === true) return { ...stampOf(stat), ctimeMs: 0 };
  return stat?.isDirectory() === true ? folderStamp(path, stat) : undefined;
}

/** One stamp of all that lies in a folder: adding, replacing and taking away changes the time of the folder that it is in. */
function folderStamp(path: string, { ino, mtimeMs }: Stats): Stamp {
  let [size, latest] = [0, mtimeMs];
  for (const name of namesIn(path)) {
    const below = outputStamp(join(path, name));
    size += below?.size ?? 0;
    latest = Math.max(latest, below?.mtimeMs ?? 0);
  }
  return { size, mtimeMs: latest, ctimeMs: 0, ino };
}

function lookAt(path: string): Stats | undefined {
  try {
    return lstatSync(path, { throwIfNoEntry: false });
  } catch {
    // A file where a folder should be: whatever comes of it comes up when the artifact is put there.
    return undefined;
  }
}
