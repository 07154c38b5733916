/** How weights have changed since an earlier time, and what did that. */
import { groupBy } from '../../base/several';
import { parseSize } from '../../base/units';
import type { Waybill } from '../../waybill';
import { packedOf } from './limits';
import type { Weighed } from './model';
import { OWN, ownersByRow } from '../../forms/weighing';
import type { WeightRecord } from './record-schema';

export interface Change {
  /** Package, or whose it is. */
  readonly name: string;
  readonly before?: { readonly version?: string | undefined; readonly unpacked: number };
  readonly now?: { readonly version?: string | undefined; readonly unpacked: number };
  /** Bytes, unpacked, that came on top; below zero where it became lighter. */
  readonly by: number;
}

export interface Growth {
  readonly before: WeightRecord;
  readonly now: WeightRecord;
  /** The largest first; what did not change is left out. */
  readonly changes: readonly Change[];
}

/** What an artifact weighs, to be kept. */
export function recordFrom(weighed: Weighed): WeightRecord {
  const { total, files, dependencies } = weighed;
  return {
    packed: packedOf(weighed),
    unpacked: total.unpacked,
    files,
    dependencies: dependencies
      .filter(({ unpacked }) => unpacked > 0)
      .map(({ name, kind, unpacked }) => ({ ...namedVersion(name, kind === 'package'), unpacked }))
      .sort((a, b) => b.unpacked - a.unpacked || (a.name < b.name ? -1 : 1)),
  };
}

/** The same from a waybill alone, whose artifact is no longer there. Inside an executable it sees nothing. */
export function recordFromWaybill(waybill: Waybill): WeightRecord {
  const { artifact, files, modules, image } = waybill;
  const owners = ownersByRow(waybill);
  const inside = groupBy(
    modules.map((module, i) => ({ module, owner: owners[files.length + i] ?? OWN })),
    ({ module }) => module.inside.file,
  );
  const weights = files.flatMap((file, row) => {
    const held = (inside.get(file.path) ?? []).map(({ module, owner }) => ({ owner, unpacked: module.inside.bytes }));
    const rest = file.size - held.reduce((sum, one) => sum + one.unpacked, 0);
    return [...held, { owner: owners[row] ?? OWN, unpacked: Math.max(0, rest) }];
  });
  const sums = [...groupBy(weights, ({ owner }) => owner.key).values()].map((all) => ({
    ...namedVersion(all[0].owner.title, all[0].owner.kind === 'package'),
    unpacked: all.reduce((sum, one) => sum + one.unpacked, 0),
  }));
  return {
    packed: image?.layers.reduce((sum, { size }) => sum + size, 0) ?? artifact.size,
    unpacked: artifact.unpacked,
    files: files.filter(({ kind }) => kind !== 'folder').length,
    dependencies: sums.filter(({ unpacked }) => unpacked > 0).sort((a, b) => b.unpacked - a.unpacked),
  };
}

/** `tidelines 3.1.0` is a package in a version; other titles are whole. */
function namedVersion(title: string, isPackage: boolean): { name: string; version?: string } {
  const space = isPackage ? title.lastIndexOf(' ') : -1;
  return space < 0 ? { name: title } : { name: title.slice(0, space), version: title.slice(space + 1) };
}

/** What became more and less between two records, the most first. */
export function growth(before: WeightRecord, now: WeightRecord): Growth {
  const [earlier, later] = [byName(before), byName(now)];
  const names = new Set([...earlier.keys(), ...later.keys()]);
  const changes = [...names].map((name): Change => {
    const [a, b] = [earlier.get(name), later.get(name)];
    return {
      name,
      ...(a !== undefined && { before: a }),
      ...(b !== undefined && { now: b }),
      by: (b?.unpacked ?? 0) - (a?.unpacked ?? 0),
    };
  });
  const isChange = ({ by, before: a, now: b }: Change): boolean => by !== 0 || a?.version !== b?.version;
  return { before, now, changes: changes.filter(isChange).sort((a, b) => Math.abs(b.by) - Math.abs(a.by)) };
}

/** Several versions of a package count together, so that one that follows another is one that changed. */
function byName({ dependencies }: WeightRecord): Map<string, { version?: string; unpacked: number }> {
  return new Map(
    [...groupBy(dependencies, ({ name }) => name)].map(([name, all]) => {
      const versions = all.flatMap(({ version }) => version ?? []).sort();
      const unpacked = all.reduce((sum, one) => sum + one.unpacked, 0);
      return [name, { ...(versions.length > 0 && { version: versions.join(', ') }), unpacked }];
    }),
  );
}

/** Bytes that something of a size may weigh under an allowance: `5 %`, `10 KiB`. */
export function allowed(size: number, allowance: string): number {
  const [, share] = /^([\d.]+) %$/.exec(allowance) ?? [];
  return share === undefined ? size + (parseSize(allowance) ?? 0) : Math.floor(size * (1 + Number(share) / 100));
}
