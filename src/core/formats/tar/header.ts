/**
 * The header block of a tar archive (POSIX.1-1988 ustar, POSIX.1-2001 pax; GNU tar's numbers in base 256), both ways.
 */

export const BLOCK_BYTES = 512;

export type TarKind = 'file' | 'folder' | 'link' | 'hard-link' | 'char-device' | 'block-device' | 'fifo';

/** Owner and time of an entry. */
export interface TarAttributes {
  /** Permission bits, with those for set-user-id, set-group-id and sticky. */
  readonly mode: number;
  readonly uid: number;
  readonly gid: number;
  /** Seconds since 1970. */
  readonly mtimeSeconds: number;
}

/** ustar header: offset and width of each field, in bytes, in the order of the standard. */
const FIELDS = {
  name: [0, 100],
  mode: [100, 8],
  uid: [108, 8],
  gid: [116, 8],
  size: [124, 12],
  mtime: [136, 12],
  checksum: [148, 8],
  typeflag: [156, 1],
  linkname: [157, 100],
  magic: [257, 8],
  devmajor: [329, 8],
  devminor: [337, 8],
  prefix: [345, 155],
} as const satisfies Record<string, readonly [number, number]>;

type Field = keyof typeof FIELDS;

export const MAX_NAME_BYTES = FIELDS.name[1];
export const MAX_PREFIX_BYTES = FIELDS.prefix[1];
/** The largest number that 11 octal digits can say. */
export const MAX_OCTAL_SIZE = 8 ** 11 - 1;
const MAGIC = 'ustar\u000000';

export const TYPES: Readonly<Record<TarKind, string>> = {
  file: '0',
  'hard-link': '1',
  link: '2',
  'char-device': '3',
  'block-device': '4',
  folder: '5',
  fifo: '6',
};
const KINDS: ReadonlyMap<string, TarKind> = new Map([
  ...(Object.entries(TYPES) as [TarKind, string][]).map(([kind, type]) => [type, kind] as const),
  // A contiguous file; the same thing to everybody today.
  ['7', 'file'] as const,
]);

/** A header block as it stands. */
export interface RawHeader extends TarAttributes {
  readonly path: string;
  readonly target: string;
  readonly size: number;
  readonly type: string;
}

/** What an entry of a type is; undefined for types that are none of ours, such as GNU tar's sparse files. */
export function kindOf(type: string): TarKind | undefined {
  return KINDS.get(type);
}

/** @returns undefined for a block whose checksum is wrong */
export function decodeHeader(block: Uint8Array): RawHeader | undefined {
  if (checksumOf(block) !== number(block, 'checksum')) return undefined;
  const prefix = text(block, 'magic').startsWith('ustar') ? text(block, 'prefix') : '';
  const name = text(block, 'name');
  return {
    path: prefix === '' ? name : `${prefix}/${name}`,
    target: text(block, 'linkname'),
    size: number(block, 'size'),
    type: text(block, 'typeflag') || '0',
    mode: number(block, 'mode') & 0o7777,
    uid: number(block, 'uid'),
    gid: number(block, 'gid'),
    mtimeSeconds: number(block, 'mtime'),
  };
}

export interface HeaderToWrite extends TarAttributes {
  readonly name: string;
  readonly prefix: string;
  readonly linkname: string;
  readonly size: number;
  readonly type: string;
}

/** 512 bytes of header (POSIX.1-2017, pax, “ustar Interchange Format”). */
export function encodeHeader(header: HeaderToWrite): Buffer {
  const block = Buffer.alloc(BLOCK_BYTES);
  const put = (field: Field, value: string): void => {
    block.write(value, FIELDS[field][0], FIELDS[field][1], 'utf8');
  };
  const octal = (field: Field, value: number): void =>
    put(field, value.toString(8).padStart(FIELDS[field][1] - 1, '0'));
  put('name', header.name);
  octal('mode', header.mode);
  octal('uid', header.uid);
  octal('gid', header.gid);
  octal('size', header.size);
  octal('mtime', header.mtimeSeconds);
  put('typeflag', header.type);
  put('linkname', header.linkname);
  put('magic', MAGIC);
  octal('devmajor', 0);
  octal('devminor', 0);
  put('prefix', header.prefix);
  put('checksum', `${checksumOf(block).toString(8).padStart(6, '0')}\0 `);
  return block;
}

/** The sum of all bytes; its own field counts as spaces. */
function checksumOf(block: Uint8Array): number {
  const [at, width] = FIELDS.checksum;
  let sum = 0x20 * width;
  for (let i = 0; i < BLOCK_BYTES; i++) if (i < at || i >= at + width) sum += block[i] ?? 0;
  return sum;
}

/** Octal digits, or base 256 where the first bit is set; NaN for anything else. */
function number(block: Uint8Array, field: Field): number {
  const [at, width] = FIELDS[field];
  const first = block[at] ?? 0;
  // The second bit is the sign: times before 1970.
  if ((first & 0x80) !== 0)
    return block
      .subarray(at + 1, at + width)
      .reduce((value, byte) => value * 256 + byte, (first & 0x40) !== 0 ? (first & 0x3f) - 0x40 : first & 0x3f);
  const digits = text(block, field).trim();
  return digits === '' ? 0 : /^[0-7]+$/.test(digits) ? parseInt(digits, 8) : NaN;
}

function text(block: Uint8Array, field: Field): string {
  const [at, width] = FIELDS[field];
  const bytes = block.subarray(at, at + width);
  const end = bytes.indexOf(0);
  return Buffer.from(end < 0 ? bytes : bytes.subarray(0, end)).toString('utf8');
}
