/** Other versions of the runtime that runs us. */
import { basename } from 'node:path';
import type { Machine } from './machine';
import { askProgram, programsNamed } from './programs';

/** Older ones do not run us. */
const LEAST_MAJOR = 20;

export interface OtherRuntime {
  /** Absolute path. */
  readonly path: string;
  /** `22.11.0`. */
  readonly version: string;
}

/** One of another major version that runs us, from the search path; undefined where there is none. */
export async function otherOwnRuntime({ self, searchPath }: Machine): Promise<OtherRuntime | undefined> {
  const name = basename(self.path).replace(/[-\d.]+$/, '');
  const named = new RegExp(`^${name}(?:js)?(?:-?\\d+)?$`);
  for (const path of programsNamed(named, searchPath)) {
    const [, version, major] = /^v((\d+)\.\d+\.\d+)/.exec((await askProgram(path, ['--version'])) ?? '') ?? [];
    const isOther = version !== undefined && Number(major) >= LEAST_MAJOR && major !== self.version.split('.')[0];
    if (isOther) return { path, version };
  }
  return undefined;
}
