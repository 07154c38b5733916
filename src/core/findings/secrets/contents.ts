/** Everything in a file that may hold a secret: its bytes, and what lies in archives within it. */
import { gunzipSync } from 'node:zlib';
import { sourceOfBytes } from '../../formats/byte-source';
import { isGzip } from '../../formats/gzip';
import { listTar } from '../../formats/tar';
import { openZip, readEntry } from '../../formats/zip';

export interface Content {
  /** Path in the artifact; of what lies in an archive, `inner.txt in lib/outer.zip`. */
  readonly path: string;
  readonly bytes: Uint8Array;
}

/** An archive in an archive is opened, and so on, so deep. */
const MOST_DEPTH = 4;
const MOST_INNER_BYTES = 256 * 1024 * 1024;
const MOST_INNER_FILES = 20_000;

interface Room {
  bytes: number;
  files: number;
}

/** A file and, where it is an archive or compressed, everything in it; bounded, so that nothing grows without end. */
export function* contentsOf(path: string, bytes: Uint8Array): Generator<Content> {
  yield* below({ path, bytes }, MOST_DEPTH, { bytes: MOST_INNER_BYTES, files: MOST_INNER_FILES });
}

function* below(content: Content, depth: number, room: Room): Generator<Content> {
  const inner = depth === 0 ? undefined : innerOf(content, room);
  // What is packed looks like noise, and is looked at unpacked.
  if (inner === undefined) yield* plainOf(content);
  else for (const one of inner) yield* below(one, depth - 1, room);
}

/** Programs of some systems keep texts in two bytes a letter. */
function* plainOf(content: Content): Generator<Content> {
  yield content;
  const { path, bytes } = content;
  if (bytes[0] === 0x4d && bytes[1] === 0x5a) yield { path, bytes: bytes.filter((byte) => byte !== 0) };
}

/** What lies in an archive; undefined for what is none, or cannot be opened. */
function innerOf({ path, bytes }: Content, room: Room): Content[] | undefined {
  try {
    // The signature of a local header (APPNOTE 4.3.7).
    if (bytes[0] === 0x50 && bytes[1] === 0x4b && bytes[2] === 3 && bytes[3] === 4) return zipFiles(path, bytes, room);
    if (!isGzip(bytes) || room.bytes <= 0) return isTar(bytes) ? tarFiles(path, bytes, room) : undefined;
    const plain = gunzipSync(bytes, { maxOutputLength: room.bytes });
    room.bytes -= plain.length;
    return [{ path: path.replace(/\.t?gz$/i, ''), bytes: plain }];
  } catch {
    return undefined;
  }
}

function zipFiles(path: string, bytes: Uint8Array, room: Room): Content[] {
  const source = sourceOfBytes(bytes);
  const files: Content[] = [];
  for (const entry of openZip(source, path).entries) {
    if (entry.kind !== 'file' || entry.size > room.bytes || (room.files -= 1) < 0) continue;
    room.bytes -= entry.size;
    try {
      files.push({ path: `${entry.path} in ${path}`, bytes: readEntry(source, entry, entry.size) });
    } catch {
      // Damaged: there is a rule for that.
    }
  }
  return files;
}

/** The magic of a header (POSIX.1-2017, pax, "ustar Interchange Format"). */
function isTar(bytes: Uint8Array): boolean {
  return bytes.length > 512 && Buffer.from(bytes.subarray(257, 262)).toString('latin1') === 'ustar';
}

function tarFiles(path: string, bytes: Uint8Array, room: Room): Content[] {
  const files: Content[] = [];
  for (const { head, at } of listTar(sourceOfBytes(bytes), path))
    if (head.kind === 'file' && (room.files -= 1) >= 0)
      files.push({ path: `${head.path} in ${path}`, bytes: bytes.subarray(at, at + head.size) });
  return files;
}
