/** Whose parts are, as a report shows it. */
import { printable } from '../../base/text';
import type { Weighing } from '../../languages';
import { ownersOf, packageOwner, type Owner, type Waybill } from '../../waybill';
import type { PartOwner } from './model';

export const FRAME: PartOwner = { kind: 'frame', title: 'the form itself', key: 'frame' };
export const BASE: PartOwner = { kind: 'base', title: 'what it stands on', key: 'base' };
export const UNKNOWN: PartOwner = { kind: 'unknown', title: 'files of its own', key: 'unknown' };
export const UNTOLD: PartOwner = { kind: 'unknown', title: 'what no symbol tells of', key: 'untold' };
export const OWN: PartOwner = { kind: 'own', title: 'the function’s own', key: 'own' };
const MADE: PartOwner = { kind: 'made', title: 'made by emballage', key: 'made' };

/** An owner as weights show it: `tidelines 3.1.0`. */
export function partOwner({ kind, name, version, key }: Owner): PartOwner {
  if (kind === 'own') return OWN;
  if (kind === 'made') return MADE;
  return { kind, title: printable(version === undefined ? name : `${name} ${version}`), key };
}

/** Of each row of a waybill: files, then modules. */
export function ownersByRow(waybill: Waybill): PartOwner[] {
  const known = new Map<string, PartOwner>();
  return ownersOf(waybill).map((owner) => {
    const made = known.get(owner.key) ?? partOwner(owner);
    known.set(owner.key, made);
    return made;
  });
}

/**
 * Whose the files of an artifact without a waybill are, by what their paths say.
 * @param listed the package of each file, where something lists it
 */
export function ownerByPath(
  languages: readonly Weighing[],
  listed: ReadonlyMap<string, string>,
): (path: string) => PartOwner {
  return (path) => {
    const found =
      listed.get(path) ?? languages.map(({ packageAt }) => packageAt?.(path)).find((name) => name !== undefined);
    return found === undefined ? UNKNOWN : partOwner(packageOwner(found, undefined));
  };
}
