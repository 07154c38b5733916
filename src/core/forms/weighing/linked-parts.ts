/** Files that several modules were linked into are weighed by those modules. */
import { groupBy } from '../../base/several';
import type { Waybill } from '../../waybill';
import type { KindOf } from './kinds';
import type { Part, PartOwner } from './model';
import { shares } from './shares';

/** @param owners of each row: files, then modules */
export function linkedParts(
  parts: readonly Part[],
  waybill: Waybill,
  owners: readonly PartOwner[],
  kindOf: KindOf,
): Part[] {
  const { modules, files } = waybill;
  if (modules.length === 0) return [...parts];
  const rows = modules.map((module, i) => ({ module, row: files.length + i }));
  const inside = groupBy(rows, ({ module }) => module.inside.file);
  return parts.flatMap((part) => {
    const held = inside.get(part.path);
    return held === undefined ? [part] : split(part, held, owners, kindOf);
  });
}

function split(
  whole: Part,
  held: readonly { readonly module: Waybill['modules'][number]; readonly row: number }[],
  owners: readonly PartOwner[],
  kindOf: KindOf,
): Part[] {
  const stated = held.map(({ module }) => module.inside.bytes);
  const rest = Math.max(0, whole.unpacked - stated.reduce((a, b) => a + b, 0));
  const weights = [...stated, rest];
  const [unpacked, packed] = [shares(whole.unpacked, weights), shares(whole.packed, weights)];
  const modules = held.map(({ module: { path }, row }, i): Part => {
    const owner = owners[row] ?? whole.owner;
    const weight = { unpacked: unpacked[i] ?? 0, packed: packed[i] ?? 0 };
    return { path, inside: whole.path, kind: kindOf(path), owner, row, ...weight };
  });
  // What holds the modules together.
  return [...modules, { ...whole, unpacked: unpacked.at(-1) ?? 0, packed: packed.at(-1) ?? 0 }];
}
