/** Whose the code in an executable is: of a package of the lock, of the compiler's own library, or the function's. */
import type { Weighing } from '../../languages';
import { packageOwner, type Waybill } from '../../waybill';
import type { PartOwner } from './model';
import { OWN, partOwner, UNKNOWN } from './owners';

const LIBRARY: PartOwner = { kind: 'unknown', title: 'the compiler’s own library', key: 'library' };

export type SourceOwner = (sourcePackage: string | undefined) => PartOwner;

/** @returns whose the code of a source package is, by its name in symbols */
export function sourceOwners(waybill: Waybill | undefined, languages: readonly Weighing[]): SourceOwner {
  const own = waybill === undefined ? UNKNOWN : OWN;
  const packages = waybill?.packages ?? [];
  return (name) => {
    if (name === undefined) return own;
    for (const { sourceOf } of languages) {
      const found = sourceOf?.(name, packages);
      if (found === 'library') return LIBRARY;
      if (found !== undefined) return partOwner(packageOwner(found.name, found.version));
    }
    return own;
  };
}
