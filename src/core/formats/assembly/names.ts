/** Full names of types: their namespaces, and the types that they are nested in. */
import type { Metadata } from './metadata';
import type { RowOf } from './tables';

/** Full name of the type in a row: `Fernhaven.Dues.Export`, nested types with `+` (ECMA-335, II.22). */
export function fullName(metadata: Metadata, { table, row }: RowOf): string {
  if (table === 'TypeSpec') return '?';
  if (table !== 'TypeRef' && table !== 'TypeDef') return '';
  const name = metadata.name(table, row, 1);
  const space = metadata.name(table, row, 2);
  if (table === 'TypeRef') {
    const scope = metadata.reference('TypeRef', row, 0, 'ResolutionScope');
    if (scope?.table === 'TypeRef' && scope.row !== row) return `${fullName(metadata, scope)}+${name}`;
  }
  return space === '' ? name : `${space}.${name}`;
}
