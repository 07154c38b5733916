/** Programs and libraries for other processors and systems, which packages for all of them carry side by side. */
import { withFileSource } from '../../../disk/file-source';
import { readNative } from '../../../formats/native';
import type { Arch } from '../../../sheet';

/** Files that are compiled, by their names: libraries, and programs, which have no ending on systems like ours. */
const MAY_BE_NATIVE = /(?:^|\/)[^/.]+$|\.(?:so(?:\.[\d.]+)?|bin|exe|dylib|dll)$/i;
/** Of the names without an ending most are texts. */
const LEAST_BYTES = 1024;

export interface SizedFile {
  readonly path: string;
  readonly size: number;
  /** Absolute path of its content. */
  readonly source: string;
}

/**
 * The compiled files of one package that are for another processor or system, where it has some for the target as well:
 * otherwise they stay, and `check` tells that nothing fits.
 */
export async function forOtherMachines(files: readonly SizedFile[], arch: Arch): Promise<ReadonlySet<string>> {
  const others = new Set<string>();
  let hasOwn = false;
  for (const { path, size, source } of files) {
    if (size < LEAST_BYTES || !MAY_BE_NATIVE.test(path)) continue;
    const native = await withFileSource(source, path, (bytes) => readNative(bytes));
    if (native === undefined || 'fault' in native || native.system === 'any') continue;
    if (native.system === 'Linux' && native.machines.some(({ name, bits }) => name === arch && bits === 64))
      hasOwn = true;
    else others.add(path);
  }
  return hasOwn ? others : new Set();
}
