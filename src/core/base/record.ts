/** Fixed binary records, little-endian: one field table serves reading and writing. */

type Width = 2 | 4 | 8;

export interface RecordType<Field extends string> {
  /** Bytes of the whole record. */
  readonly size: number;
  /** Reads the record at `offset`; the caller has checked that `size` bytes are there. */
  read(bytes: Uint8Array, offset?: number): Record<Field, number>;
  write(values: Readonly<Record<Field, number>>): Uint8Array;
}

/** Describes a record by its fields in order, each with its width in bytes. */
export function record<const Field extends string>(
  fields: readonly (readonly [name: Field, width: Width])[],
): RecordType<Field> {
  const layout: { readonly name: Field; readonly width: Width; readonly offset: number }[] = [];
  let size = 0;
  for (const [name, width] of fields) {
    layout.push({ name, width, offset: size });
    size += width;
  }
  return {
    size,
    read(bytes, offset = 0) {
      const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
      const values = {} as Record<Field, number>;
      for (const field of layout) values[field.name] = get(view, offset + field.offset, field.width);
      return values;
    },
    write(values) {
      const bytes = new Uint8Array(size);
      const view = new DataView(bytes.buffer);
      for (const field of layout) set(view, field.offset, field.width, values[field.name]);
      return bytes;
    },
  };
}

/** 64-bit values above 2^53 become Infinity, which no bound lets pass. */
function get(view: DataView, at: number, width: Width): number {
  if (width === 2) return view.getUint16(at, true);
  if (width === 4) return view.getUint32(at, true);
  const value = view.getBigUint64(at, true);
  return value <= BigInt(Number.MAX_SAFE_INTEGER) ? Number(value) : Infinity;
}

const LARGEST: Readonly<Record<Width, number>> = { 2: 0xffff, 4: 0xffffffff, 8: Number.MAX_SAFE_INTEGER };

function set(view: DataView, at: number, width: Width, value: number): void {
  if (!Number.isSafeInteger(value) || value < 0 || value > LARGEST[width])
    throw new RangeError(`${String(value)} does not fit ${String(width)} bytes`);
  if (width === 2) view.setUint16(at, value, true);
  else if (width === 4) view.setUint32(at, value, true);
  else view.setBigUint64(at, BigInt(value), true);
}
