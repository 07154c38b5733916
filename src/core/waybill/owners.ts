/** Whose the rows of a waybill are: the function's own, a package's, or made by the tool. */
import { present } from '../base/present';
import type { Waybill } from './schema';

export interface Owner {
  readonly kind: 'own' | 'package' | 'made';
  /** Of a package; '' otherwise. */
  readonly name: string;
  readonly version?: string;
  /** What tells it from all others. */
  readonly key: string;
}

export const OWN: Owner = { kind: 'own', name: '', key: 'own' };
export const MADE: Owner = { kind: 'made', name: '', key: 'made' };

/** A package as owner of files. @param version undefined where it is not known */
export function packageOwner(name: string, version: string | undefined): Owner {
  return { kind: 'package', name, ...present({ version }), key: `package ${name} ${version ?? ''}` };
}

type Row = Pick<Waybill['files'][number], 'path' | 'origin' | 'reason'>;

/** The owner of each row. What was made of a file belongs to whom the file belongs to. */
export function ownersOf({ files, modules, packages }: Pick<Waybill, 'files' | 'modules' | 'packages'>): Owner[] {
  const known = new Map(packages.map(({ name, version }) => [`${name} ${version}`, packageOwner(name, version)]));
  const rows: readonly Row[] = [...files, ...modules];
  const byPath = new Map(rows.map((row) => [row.path, row]));
  const ownerOf = (row: Row, depth: number): Owner => {
    const { origin, reason } = row;
    switch (origin.from) {
      case 'source':
        return OWN;
      case 'package':
        return known.get(`${origin.name} ${origin.version}`) ?? packageOwner(origin.name, origin.version);
      case 'unlocked':
        return packageOwner(origin.name, undefined);
      case 'generated': {
        // The list of a package's files: `tidebase 2.1.0: RECORD`.
        const stated = known.get(origin.by.slice(0, Math.max(0, origin.by.indexOf(': '))));
        if (stated !== undefined) return stated;
        // What was compiled from the function's source is its own.
        if (reason.why === 'entry' && modules.length === 0) return OWN;
        const from = reason.why === 'made-for' && row.path !== reason.by ? byPath.get(reason.by) : undefined;
        return from === undefined || depth === 0 ? MADE : ownerOf(from, depth - 1);
      }
    }
  };
  return rows.map((row) => ownerOf(row, 3));
}
