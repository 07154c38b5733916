/**
 * Reads tar archives (POSIX.1-1988 ustar, POSIX.1-2001 pax, and the long names of GNU tar). Every entry is held against
 * the bytes that are there; what is neither file, folder nor link is refused by name.
 */
import { EmballageError } from '../../base/errors';
import { linkStaysInside, unsafePathReason } from '../../base/paths';
import { printable } from '../../base/text';

export interface TarEntry {
  /** Without the `/` at a folder's end. */
  readonly path: string;
  readonly kind: 'file' | 'folder' | 'link' | 'hard-link';
  /** Permission bits. */
  readonly mode: number;
  readonly bytes: Uint8Array;
  /** What a link points to. */
  readonly target?: string;
}

const BLOCK = 512;
/** Names and sizes in extended headers; more is no archive that anybody made in earnest. */
const MAX_EXTENDED_BYTES = 1024 * 1024;
const MAX_ENTRIES = 1_000_000;

/** ustar header: offset and width of each field that is read, in bytes. */
const FIELDS = {
  name: [0, 100],
  mode: [100, 8],
  size: [124, 12],
  checksum: [148, 8],
  typeflag: [156, 1],
  linkname: [157, 100],
  magic: [257, 6],
  prefix: [345, 155],
} as const satisfies Record<string, readonly [number, number]>;

interface Extended {
  path?: string;
  linkpath?: string;
  size?: number;
}

/** @param name the archive's name, for messages */
export function* readTar(bytes: Uint8Array, name: string): Generator<TarEntry> {
  let extended: Extended = {};
  let entries = 0;
  for (let at = 0; at + BLOCK <= bytes.length;) {
    const header = bytes.subarray(at, at + BLOCK);
    // Two blocks of zeros end the archive; one is enough for us.
    if (header.every((byte) => byte === 0)) return;
    if (!isHeader(header)) throw bad(name, 'a header block', `none at byte ${String(at)}`);
    const size = extended.size ?? number(header, 'size');
    const start = at + BLOCK;
    if (!Number.isSafeInteger(size) || start + size > bytes.length)
      throw bad(name, 'the whole archive', `an entry that runs past its end at byte ${String(at)}`);
    const content = bytes.subarray(start, start + size);
    at = start + Math.ceil(size / BLOCK) * BLOCK;
    const type = text(header, 'typeflag') || '0';
    if ('xLKg'.includes(type)) {
      if (size > MAX_EXTENDED_BYTES) throw bad(name, 'short extended headers', `one of ${String(size)} bytes`);
      // A global header ('g') says nothing that matters here.
      if (type !== 'g') extended = { ...extended, ...readExtended(type, content) };
      continue;
    }
    if (++entries > MAX_ENTRIES) throw bad(name, `at most ${String(MAX_ENTRIES)} entries`, 'more');
    yield describe(header, type, content, extended, name);
    extended = {};
  }
}

function describe(header: Uint8Array, type: string, bytes: Uint8Array, extended: Extended, name: string): TarEntry {
  const prefix = text(header, 'magic').startsWith('ustar') ? text(header, 'prefix') : '';
  const plain = text(header, 'name');
  const path = (extended.path ?? (prefix === '' ? plain : `${prefix}/${plain}`))
    // Parts that say nothing, which some packers leave in.
    .replace(/^(?:\.\/)+/, '')
    .replace(/(?<=.)\/(?:\.?\/)+/g, '/')
    .replace(/\/+$/, '');
  const kind = kindOf(type, path, name);
  const unsafe = path === '' || path === '.' ? undefined : unsafePathReason(path);
  if (unsafe !== undefined) throw bad(name, 'paths that stay inside', `\`${printable(path)}\`, ${unsafe}`);
  const mode = number(header, 'mode') & 0o777;
  if (kind === 'file' || kind === 'folder') return { path, kind, mode, bytes };
  const target = extended.linkpath ?? text(header, 'linkname');
  const stays = kind === 'link' ? linkStaysInside(path, target) : unsafePathReason(target) === undefined;
  if (!stays)
    throw bad(name, 'links that stay inside', `\`${printable(path)}\`, which points to \`${printable(target)}\``);
  return { path, kind, mode, bytes, target };
}

function kindOf(type: string, path: string, name: string): TarEntry['kind'] {
  if (type === '0' || type === '7') return 'file';
  if (type === '5') return 'folder';
  if (type === '2') return 'link';
  if (type === '1') return 'hard-link';
  throw bad(name, 'files, folders and links', `\`${printable(path)}\`, of type \`${printable(type)}\``);
}

/** pax: records `LENGTH KEY=VALUE\n`; GNU: the whole content is the name. */
function readExtended(type: string, content: Uint8Array): Extended {
  const whole = Buffer.from(content).toString('utf8');
  if (type === 'L') return { path: whole.replace(/\0.*$/s, '') };
  if (type === 'K') return { linkpath: whole.replace(/\0.*$/s, '') };
  const found: Extended = {};
  const bytes = Buffer.from(content);
  for (let at = 0; at < bytes.length;) {
    const space = bytes.indexOf(0x20, at);
    const length = Number(bytes.toString('latin1', at, Math.max(at, space)));
    if (space < 0 || !Number.isInteger(length) || length <= 0) break;
    const record = bytes.toString('utf8', space + 1, at + length - 1);
    const [, key, value = ''] = /^([^=]+)=(.*)$/s.exec(record) ?? [];
    if (key === 'path') found.path = value;
    else if (key === 'linkpath') found.linkpath = value;
    else if (key === 'size') found.size = Number(value);
    at += length;
  }
  return found;
}

function isHeader(header: Uint8Array): boolean {
  const [at, width] = FIELDS.checksum;
  // The checksum counts its own field as spaces.
  const sum = header.reduce((total, byte, i) => total + (i >= at && i < at + width ? 0x20 : byte), 0);
  return sum === number(header, 'checksum');
}

/** Octal digits, or base 256 where the first bit is set (an extension that GNU tar and others write). */
function number(header: Uint8Array, field: keyof typeof FIELDS): number {
  const [at, width] = FIELDS[field];
  if (((header[at] ?? 0) & 0x80) !== 0)
    return header.subarray(at + 1, at + width).reduce((value, byte) => value * 256 + byte, (header[at] ?? 0) & 0x7f);
  const digits = text(header, field).trim();
  return digits === '' ? 0 : /^[0-7]+$/.test(digits) ? parseInt(digits, 8) : NaN;
}

function text(header: Uint8Array, field: keyof typeof FIELDS): string {
  const [at, width] = FIELDS[field];
  const bytes = header.subarray(at, at + width);
  const end = bytes.indexOf(0);
  return Buffer.from(end < 0 ? bytes : bytes.subarray(0, end)).toString('utf8');
}

function bad(name: string, expected: string, found: string): EmballageError {
  return new EmballageError('PACKAGE_INVALID', {
    doing: 'reading the tar archive',
    where: printable(name),
    expected,
    found,
    mend: 'fetch or make the archive again',
  });
}
