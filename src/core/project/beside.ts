/** Data that travels beside artifacts, as it lies in the project. */
import { statSync } from 'node:fs';
import { join } from 'node:path';
import { fileDigest } from '../disk/digest';
import { guarded } from '../disk/write';
import type { FunctionSpec } from '../sheet';
import type { Waybill } from '../waybill';
import type { Project } from './targets';

/** Each with its size in bytes and its digest now. */
export function besideOf(
  { root }: Pick<Project, 'root'>,
  { beside }: Pick<FunctionSpec, 'beside'>,
): NonNullable<Waybill['beside']> {
  return beside.map(({ name, file, setting }) => {
    const path = join(root, file);
    return guarded(file, () => ({ name, file, setting, size: statSync(path).size, sha256: fileDigest(path) }));
  });
}
