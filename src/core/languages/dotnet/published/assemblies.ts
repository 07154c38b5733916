/** The assemblies among the files of an artifact or a publish folder, each read once. */
import { readAssembly, type Assembly } from '../../../formats/assembly';
import { isPe } from '../../../formats/native';

export interface FoundAssembly {
  readonly path: string;
  readonly assembly: Assembly;
}

export interface Assemblies {
  /** By path. */
  readonly all: ReadonlyMap<string, Assembly>;
  /** Native code under the names that assemblies have. */
  readonly native: ReadonlySet<string>;
  readonly faults: readonly { readonly path: string; readonly what: string }[];
  /** Those of a name, in small letters, in the order of their paths; without texts in other languages. */
  readonly byName: ReadonlyMap<string, readonly FoundAssembly[]>;
}

export const ASSEMBLY_FILE = /\.(?:dll|exe)$/i;
/** Texts in another language. */
export const SATELLITE = /(?:^|\/)([A-Za-z]{2,8}(?:-[A-Za-z0-9]{1,8})*)\/[^/]+\.resources\.dll$/;
export const MOST_ASSEMBLY_BYTES = 512 * 1024 * 1024;

/** Reads the assemblies among files, each once; what cannot be read is noted as such. */
export function readAssemblies(
  paths: Iterable<string>,
  readBytes: (path: string) => Uint8Array | undefined,
): Assemblies {
  const all = new Map<string, Assembly>();
  const native = new Set<string>();
  const faults: { path: string; what: string }[] = [];
  for (const path of paths) {
    const bytes = ASSEMBLY_FILE.test(path) ? readBytes(path) : undefined;
    if (bytes === undefined) continue;
    try {
      const assembly = isPe(bytes) ? readAssembly(bytes) : undefined;
      if (assembly !== undefined) all.set(path, assembly);
      else if (isPe(bytes)) native.add(path);
      else faults.push({ path, what: 'it begins otherwise' });
    } catch (error) {
      if (!(error instanceof RangeError)) throw error;
      faults.push({ path, what: error.message });
    }
  }
  const byName = new Map<string, FoundAssembly[]>();
  for (const [path, assembly] of all) {
    if (assembly.culture !== '' || SATELLITE.test(path)) continue;
    const key = assembly.name.toLowerCase();
    byName.set(key, [...(byName.get(key) ?? []), { path, assembly }]);
  }
  return { all, native, faults, byName };
}
