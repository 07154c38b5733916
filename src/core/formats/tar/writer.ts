/**
 * Writes tar archives (POSIX.1-1988 ustar; pax headers only for what that cannot say). What could vary is fixed: owner 0
 * unless another is given, no names of users; entries come in the order in which they are handed over.
 */
import { paddedSize } from './entries';
import {
  BLOCK_BYTES,
  encodeHeader,
  MAX_NAME_BYTES,
  MAX_OCTAL_SIZE,
  MAX_PREFIX_BYTES,
  TYPES,
  type TarKind,
} from './header';

export interface HeadToWrite {
  readonly path: string;
  readonly kind: TarKind;
  /** Permission bits. */
  readonly mode: number;
  /** Bytes of content; 0 for anything but files. */
  readonly size: number;
  readonly mtimeSeconds: number;
  readonly uid?: number;
  readonly gid?: number;
  /** What a link points to. */
  readonly target?: string;
}

/** Two blocks of zeros end an archive. */
export const TAR_END = Buffer.alloc(2 * BLOCK_BYTES);

/** The header of an entry, with a pax header before it where the name, the target or the size needs one. */
export function tarHeader(head: HeadToWrite): Buffer {
  const path = head.kind === 'folder' ? `${head.path}/` : head.path;
  const records: string[] = [];
  const split = splitName(path);
  if (split === undefined) records.push(paxRecord('path', path));
  const target = head.target ?? '';
  const isLongTarget = !isPlain(target) || Buffer.byteLength(target) > MAX_NAME_BYTES;
  if (isLongTarget) records.push(paxRecord('linkpath', target));
  if (head.size > MAX_OCTAL_SIZE) records.push(paxRecord('size', String(head.size)));
  const attributes = { uid: head.uid ?? 0, gid: head.gid ?? 0, mtimeSeconds: head.mtimeSeconds };
  const own = encodeHeader({
    ...attributes,
    ...(split ?? { name: shortName(path), prefix: '' }),
    mode: head.mode,
    linkname: isLongTarget ? shortName(target) : target,
    size: head.size > MAX_OCTAL_SIZE ? 0 : head.size,
    type: TYPES[head.kind],
  });
  if (records.length === 0) return own;
  const content = Buffer.from(records.join(''));
  const extended = encodeHeader({
    ...attributes,
    name: shortName(`PaxHeaders/${path}`),
    prefix: '',
    mode: 0o644,
    linkname: '',
    size: content.length,
    type: 'x',
  });
  return Buffer.concat([extended, content, tarPadding(content.length), own]);
}

/** What fills up the last block of content. */
export function tarPadding(size: number): Buffer {
  return Buffer.alloc(paddedSize(size) - size);
}

export interface TarMember {
  readonly path: string;
  readonly content: Uint8Array;
  /** Permission bits. */
  readonly mode: number;
}

/** An archive of files, in memory. @param mtimeSeconds seconds since 1970 that all entries carry */
export function writeTar(members: readonly TarMember[], mtimeSeconds: number): Buffer {
  const blocks = members.flatMap(({ path, content, mode }) => [
    tarHeader({ path, kind: 'file', mode, size: content.length, mtimeSeconds }),
    content,
    tarPadding(content.length),
  ]);
  return Buffer.concat([...blocks, TAR_END]);
}

/** `30 mtime=1350244992.023960108\n`: the length counts itself (pax, "pax Extended Header"). */
function paxRecord(key: string, value: string): string {
  const rest = Buffer.byteLength(` ${key}=${value}\n`);
  let length = rest;
  while (length !== rest + String(length).length) length = rest + String(length).length;
  return `${String(length)} ${key}=${value}\n`;
}

/** A name as the two fields for it; undefined where they cannot hold it. */
function splitName(path: string): { name: string; prefix: string } | undefined {
  if (!isPlain(path)) return undefined;
  if (path.length <= MAX_NAME_BYTES) return { name: path, prefix: '' };
  for (let slash = path.indexOf('/'); slash >= 0 && slash <= MAX_PREFIX_BYTES; slash = path.indexOf('/', slash + 1)) {
    const name = path.slice(slash + 1);
    if (slash > 0 && name !== '' && name.length <= MAX_NAME_BYTES) return { name, prefix: path.slice(0, slash) };
  }
  return undefined;
}

/** ustar says nothing of how names are encoded beyond ASCII; pax says UTF-8. */
function isPlain(name: string): boolean {
  return /^[\u0020-\u007e]*$/.test(name);
}

/** What stands in a field whose true value is in the header before it. */
function shortName(path: string): string {
  return path.replace(/[^\u0020-\u007e]/g, '_').slice(0, MAX_NAME_BYTES);
}
