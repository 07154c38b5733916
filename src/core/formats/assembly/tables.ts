/** The tables of CLI metadata: which there are, and how wide their columns are (ECMA-335, II.22 and II.24.2.6). */
import type { Fields } from '../fields';

export const TABLE = {
  Module: 0x00,
  TypeRef: 0x01,
  TypeDef: 0x02,
  FieldPtr: 0x03,
  Field: 0x04,
  MethodPtr: 0x05,
  MethodDef: 0x06,
  ParamPtr: 0x07,
  Param: 0x08,
  InterfaceImpl: 0x09,
  MemberRef: 0x0a,
  Constant: 0x0b,
  CustomAttribute: 0x0c,
  FieldMarshal: 0x0d,
  DeclSecurity: 0x0e,
  ClassLayout: 0x0f,
  FieldLayout: 0x10,
  StandAloneSig: 0x11,
  EventMap: 0x12,
  EventPtr: 0x13,
  Event: 0x14,
  PropertyMap: 0x15,
  PropertyPtr: 0x16,
  Property: 0x17,
  MethodSemantics: 0x18,
  MethodImpl: 0x19,
  ModuleRef: 0x1a,
  TypeSpec: 0x1b,
  ImplMap: 0x1c,
  FieldRva: 0x1d,
  EncLog: 0x1e,
  EncMap: 0x1f,
  Assembly: 0x20,
  AssemblyProcessor: 0x21,
  AssemblyOs: 0x22,
  AssemblyRef: 0x23,
  AssemblyRefProcessor: 0x24,
  AssemblyRefOs: 0x25,
  File: 0x26,
  ExportedType: 0x27,
  ManifestResource: 0x28,
  NestedClass: 0x29,
  GenericParam: 0x2a,
  MethodSpec: 0x2b,
  GenericParamConstraint: 0x2c,
} as const;

export type TableName = keyof typeof TABLE;

/** A column: bytes, an index into a heap, into a table, or into one of several. */
type Column = 2 | 4 | 'string' | 'guid' | 'blob' | TableName | CodedName;

const COLUMNS: Readonly<Record<TableName, readonly Column[]>> = {
  Module: [2, 'string', 'guid', 'guid', 'guid'],
  TypeRef: ['ResolutionScope', 'string', 'string'],
  TypeDef: [4, 'string', 'string', 'TypeDefOrRef', 'Field', 'MethodDef'],
  FieldPtr: ['Field'],
  Field: [2, 'string', 'blob'],
  MethodPtr: ['MethodDef'],
  MethodDef: [4, 2, 2, 'string', 'blob', 'Param'],
  ParamPtr: ['Param'],
  Param: [2, 2, 'string'],
  InterfaceImpl: ['TypeDef', 'TypeDefOrRef'],
  MemberRef: ['MemberRefParent', 'string', 'blob'],
  Constant: [2, 'HasConstant', 'blob'],
  CustomAttribute: ['HasCustomAttribute', 'CustomAttributeType', 'blob'],
  FieldMarshal: ['HasFieldMarshal', 'blob'],
  DeclSecurity: [2, 'HasDeclSecurity', 'blob'],
  ClassLayout: [2, 4, 'TypeDef'],
  FieldLayout: [4, 'Field'],
  StandAloneSig: ['blob'],
  EventMap: ['TypeDef', 'Event'],
  EventPtr: ['Event'],
  Event: [2, 'string', 'TypeDefOrRef'],
  PropertyMap: ['TypeDef', 'Property'],
  PropertyPtr: ['Property'],
  Property: [2, 'string', 'blob'],
  MethodSemantics: [2, 'MethodDef', 'HasSemantics'],
  MethodImpl: ['TypeDef', 'MethodDefOrRef', 'MethodDefOrRef'],
  ModuleRef: ['string'],
  TypeSpec: ['blob'],
  ImplMap: [2, 'MemberForwarded', 'string', 'ModuleRef'],
  FieldRva: [4, 'Field'],
  EncLog: [4, 4],
  EncMap: [4],
  Assembly: [4, 2, 2, 2, 2, 4, 'blob', 'string', 'string'],
  AssemblyProcessor: [4],
  AssemblyOs: [4, 4, 4],
  AssemblyRef: [2, 2, 2, 2, 4, 'blob', 'string', 'string', 'blob'],
  AssemblyRefProcessor: [4, 'AssemblyRef'],
  AssemblyRefOs: [4, 4, 4, 'AssemblyRef'],
  File: [4, 'string', 'blob'],
  ExportedType: [4, 4, 'string', 'string', 'Implementation'],
  ManifestResource: [4, 4, 'string', 'Implementation'],
  NestedClass: ['TypeDef', 'TypeDef'],
  GenericParam: [2, 2, 'TypeOrMethodDef', 'string'],
  MethodSpec: ['MethodDefOrRef', 'blob'],
  GenericParamConstraint: ['GenericParam', 'TypeDefOrRef'],
};

/** II.24.2.6: the low bits say which table. */
const CODED = {
  TypeDefOrRef: ['TypeDef', 'TypeRef', 'TypeSpec'],
  HasConstant: ['Field', 'Param', 'Property'],
  HasCustomAttribute: [
    ...['MethodDef', 'Field', 'TypeRef', 'TypeDef', 'Param', 'InterfaceImpl', 'MemberRef', 'Module', 'DeclSecurity'],
    ...['Property', 'Event', 'StandAloneSig', 'ModuleRef', 'TypeSpec', 'Assembly', 'AssemblyRef', 'File'],
    ...['ExportedType', 'ManifestResource', 'GenericParam', 'GenericParamConstraint', 'MethodSpec'],
  ],
  HasFieldMarshal: ['Field', 'Param'],
  HasDeclSecurity: ['TypeDef', 'MethodDef', 'Assembly'],
  MemberRefParent: ['TypeDef', 'TypeRef', 'ModuleRef', 'MethodDef', 'TypeSpec'],
  HasSemantics: ['Event', 'Property'],
  MethodDefOrRef: ['MethodDef', 'MemberRef'],
  MemberForwarded: ['Field', 'MethodDef'],
  Implementation: ['File', 'AssemblyRef', 'ExportedType'],
  CustomAttributeType: ['', '', 'MethodDef', 'MemberRef', ''],
  ResolutionScope: ['Module', 'ModuleRef', 'AssemblyRef', 'TypeRef'],
  TypeOrMethodDef: ['TypeDef', 'MethodDef'],
} as const satisfies Readonly<Record<string, readonly (TableName | '')[]>>;

export type CodedName = keyof typeof CODED;

/** A row of a table, counted from 1; 0 is none. */
export interface RowOf {
  readonly table: TableName;
  readonly row: number;
}

const bitsOf = (coded: CodedName): number => Math.ceil(Math.log2(CODED[coded].length));

/** What a coded index leads to; undefined for nothing. */
export function decoded(coded: CodedName, value: number): RowOf | undefined {
  const bits = bitsOf(coded);
  const table: TableName | '' | undefined = (CODED[coded] as readonly (TableName | '')[])[value & ((1 << bits) - 1)];
  const row = value >>> bits;
  return table === undefined || table === '' || row === 0 ? undefined : { table, row };
}

const NAMES = Object.keys(TABLE) as TableName[];
/** II.24.2.6, `HeapSizes`. */
const WIDE = { string: 1, guid: 2, blob: 4 } as const;
/** Some writers add four bytes behind the counts of rows. */
const EXTRA_DATA = 0x40;
const MOST_ROWS = 16 * 1024 * 1024;

interface Layout {
  readonly at: number;
  readonly rows: number;
  readonly width: number;
  readonly columns: readonly { readonly at: number; readonly width: 2 | 4 }[];
}

export class Tables {
  readonly #fields: Fields;
  readonly #layouts = new Map<TableName, Layout>();

  /** @throws RangeError where tables lead outside their stream */
  constructor(fields: Fields) {
    this.#fields = fields;
    const sizes = fields.u8(6);
    const present: number[] = [];
    for (let i = 0; i < 64; i++) if (((fields.u32(8 + (i >> 5) * 4) >>> (i & 31)) & 1) === 1) present.push(i);
    const rows = new Map(present.map((number, i) => [number, fields.u32(24 + i * 4)]));
    let at = 24 + present.length * 4 + ((sizes & EXTRA_DATA) !== 0 ? 4 : 0);
    const rowsOf = (name: TableName): number => rows.get(TABLE[name]) ?? 0;
    const widthOf = (column: Column): 2 | 4 => {
      if (column === 2 || column === 4) return column;
      if (column === 'string' || column === 'guid' || column === 'blob') return (sizes & WIDE[column]) !== 0 ? 4 : 2;
      if (!(column in CODED)) return rowsOf(column as TableName) >= 1 << 16 ? 4 : 2;
      const coded = column as CodedName;
      const most = Math.max(
        ...(CODED[coded] as readonly (TableName | '')[]).map((one) => (one === '' ? 0 : rowsOf(one))),
      );
      return most >= 1 << (16 - bitsOf(coded)) ? 4 : 2;
    };
    for (const name of NAMES) {
      const count = rowsOf(name);
      if (count === 0) continue;
      if (count > MOST_ROWS) throw new RangeError(`${String(count)} rows of ${name}`);
      let width = 0;
      const columns = COLUMNS[name].map((column) => {
        const own = { at: width, width: widthOf(column) };
        width += own.width;
        return own;
      });
      if (at + width * count > fields.bytes.length) throw new RangeError(`the table ${name} leads outside the file`);
      this.#layouts.set(name, { at, rows: count, width, columns });
      at += width * count;
    }
  }

  rows(table: TableName): number {
    return this.#layouts.get(table)?.rows ?? 0;
  }

  /** @param row counted from 1 @throws RangeError for a row that is not there */
  cell(table: TableName, row: number, column: number): number {
    const layout = this.#layouts.get(table);
    const place = layout?.columns[column];
    if (layout === undefined || place === undefined || row < 1 || row > layout.rows)
      throw new RangeError(`row ${String(row)} of ${table}, which is not there`);
    const at = layout.at + (row - 1) * layout.width + place.at;
    return place.width === 2 ? this.#fields.u16(at) : this.#fields.u32(at);
  }
}
