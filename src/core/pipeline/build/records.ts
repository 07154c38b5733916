/** What a build leaves for the next look: where its index lies, and what its outputs look like. */
import { lstatSync } from 'node:fs';
import { join } from 'node:path';
import { stampOf, type Stamp } from '../../disk/stamp';
import { KINDS } from '../../project/state';
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
 * The stamp of an output file, without its change time: that moves whenever the store links or drops the same content.
 */
export function outputStamp(path: string): Stamp | undefined {
  let stat;
  try {
    stat = lstatSync(path, { throwIfNoEntry: false });
  } catch {
    // A file where a folder should be: whatever comes of it comes up when the artifact is put there.
    return undefined;
  }
  return stat?.isFile() === true ? { ...stampOf(stat), ctimeMs: 0 } : undefined;
}
