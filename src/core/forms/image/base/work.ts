/** What images stand on: settled by `lock`, looked at by builds. */
import { statSync } from 'node:fs';
import { join } from 'node:path';
import type { LockedBase } from '../../../project/lock/lockfile';
import type { Project } from '../../../project/targets';
import type { FunctionSpec } from '../../../sheet';
import type { BaseWork, SettleBaseRequest } from '../../form';
import { compressorFor } from '../../packing';
import { baseInputs, hasBase, imageInputs, settleBase } from './base';
import { basePath } from './base-parts';
import { lockedBase } from './locked-base';

export const imageBase: BaseWork = {
  inputs: baseInputs,
  locked: lockedBase,
  settle,
  dependsOn: imageInputs,
  places,
};

async function settle(request: SettleBaseRequest, known: LockedBase | undefined): Promise<LockedBase | undefined> {
  const { project, spec, machine, registry, jobs, isUpgraded, onProgress, onSettling } = request;
  const inputs = baseInputs(spec);
  if (inputs === undefined) return undefined;
  if (known?.inputs === inputs && !isUpgraded && hasBase(project, known) && isAsItWas(spec, known)) return known;
  const compressor = compressorFor(jobs, false);
  try {
    const base = { project, spec, machine, compressor, registry, onProgress };
    const settled = await settleBase(base, onSettling, known);
    return JSON.stringify(settled) === JSON.stringify(known) ? known : settled;
  } finally {
    await compressor.close();
  }
}

/** What lies in the project or on the machine is looked at each time; what a registry has stays settled. */
function isAsItWas(spec: FunctionSpec, known: LockedBase): boolean {
  return spec.image?.base.kind === 'image' && spec.archs.every((arch) => arch in known.targets);
}

function places({ root }: Project, spec: FunctionSpec): { path: string; isFolder: boolean }[] {
  const base = spec.image?.base;
  if (base?.kind !== 'root' && base?.kind !== 'layout') return [];
  return spec.archs.flatMap((arch) => {
    const path = basePath(base.path, arch);
    const stat = statSync(join(root, path), { throwIfNoEntry: false });
    return stat === undefined ? [] : [{ path, isFolder: stat.isDirectory() }];
  });
}
