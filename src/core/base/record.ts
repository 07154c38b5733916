/** Fixed binary records, little-endian: one field table serves reading and writing. */

type Width = 2 | 4 | 8;

export interface RecordType<Field extends string> {
  /** Bytes of the whole record. */
  readonly size: number;
  /** Reads the record at `offset`; the caller has checked that `size` bytes are there. */
  read(bytes: Uint8Array, offset?: number): Record<Field, number>;
  write(values: Readonly<Record<Field, number>>): Uint8Array;
  /** Writes it into memory that is there already, from `offset` on. */
  writeInto(bytes: Uint8Array, offset: number, values: Readonly<Record<Field, number>>): void;
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
  const writeInto = (bytes: Uint8Array, offset: number, values: Readonly<Record<Field, number>>): void => {
    for (const field of layout) set(bytes, offset + field.offset, field.width, values[field.name]);
  };
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
      writeInto(bytes, 0, values);
      return bytes;
    },
    writeInto,
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

/** Byte by byte: a view of each record would take longer than writing it. */
function set(bytes: Uint8Array, at: number, width: Width, value: number): void {
  if (!Number.isSafeInteger(value) || value < 0 || value > LARGEST[width])
    throw new RangeError(`${String(value)} does not fit ${String(width)} bytes`);
  bytes[at] = value;
  bytes[at + 1] = value >>> 8;
  if (width === 2) return;
  bytes[at + 2] = value >>> 16;
  bytes[at + 3] = value >>> 24;
  if (width === 8) set(bytes, at + 4, 4, Math.floor(value / 2 ** 32));
}
