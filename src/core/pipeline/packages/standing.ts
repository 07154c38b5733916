/** How packages stand to an artifact: whether they are in it at all, and whether what is called reaches them. */
import type { PackageStanding } from '../../findings/rule';
import { isLicenceText } from '../../findings/licences';
import type { Waybill, WaybillFile } from '../../waybill';

export interface Stands {
  readonly standing: PackageStanding;
  /** Paths in the package of what is reached; none where that was not traced. */
  readonly reached: readonly string[];
  /** Paths in the package of what is in the artifact. */
  readonly packed: readonly string[];
  /** Whether the text of its licence is in the artifact. */
  readonly hasText: boolean;
}

/** What is asked for by running code. */
const REACHED: readonly WaybillFile['reason']['why'][] = ['entry', 'imported', 'named'];

/** By `name\0version`, as `keyOf` makes it. @param isCompiledIn whether packages become part of an executable */
export function standings(waybill: Waybill, isCompiledIn: boolean): (one: PackageKey) => Stands {
  const rows = new Map<string, { reached: string[]; packed: string[]; hasText: boolean }>();
  // Without a trace all that is packed may be reached.
  const isTraced = waybill.trim === 'traced' || waybill.modules.length > 0;
  const take = (origin: WaybillFile['origin'], { why }: WaybillFile['reason'], path: string | undefined): void => {
    if (origin.from !== 'package') return;
    const key = keyOf(origin);
    const row = rows.get(key) ?? { reached: [], packed: [], hasText: false };
    rows.set(key, row);
    row.packed.push(origin.at);
    if (REACHED.includes(why)) row.reached.push(origin.at);
    if (path !== undefined && isLicenceText(origin.at)) row.hasText = true;
  };
  for (const { origin, reason, path, kind } of waybill.files) if (kind !== 'folder') take(origin, reason, path);
  for (const { origin, reason } of waybill.modules) take(origin, reason, undefined);
  return (one) => {
    const row = rows.get(keyOf(one));
    if (isCompiledIn) return { standing: 'untraced', reached: [], packed: [], hasText: row?.hasText ?? false };
    if (row === undefined) return { standing: 'left-out', reached: [], packed: [], hasText: false };
    const standing = !isTraced ? 'untraced' : row.reached.length > 0 ? 'reached' : 'packed';
    return { ...row, reached: isTraced ? row.reached : [], standing };
  };
}

interface PackageKey {
  readonly name: string;
  readonly version: string;
}

function keyOf({ name, version }: PackageKey): string {
  return `${name}\0${version}`;
}
