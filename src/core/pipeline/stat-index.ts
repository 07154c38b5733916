/**
 * The stat index of a function: what its source folder and its artifacts looked like after the last build, with the
 * digest of every file. It lets a build find out that nothing has changed without reading a file.
 *
 * File layout: one line of JSON, a line feed; padding to 8 bytes; for each item five 64-bit floats (kind and mode, size,
 * mtimeMs, ctimeMs, inode); for each item 32 bytes of SHA-256 (zero where there is none); the names, NUL-separated.
 */
import { readFileSync } from 'node:fs';
import { isRacy, type Stamp } from '../disk/stamp';
import type { WalkedItem } from '../disk/walk';
import { writeWhole } from '../disk/write';

export interface TargetRecord {
  readonly sha256: string;
  readonly size: number;
  readonly unpacked: number;
  readonly files: number;
  /** Stamps of the artifact and the waybill in the output folder. */
  readonly artifact: Stamp;
  readonly waybill: Stamp;
}

interface Header {
  /** Everything but the source files that the artifacts depend on, as text. */
  readonly config: string;
  readonly targets: Readonly<Record<string, TargetRecord>>;
  readonly items: number;
}

const FLOATS = 5;
const DIGEST_BYTES = 32;
/** What stands for a file that was left out. */
const NO_DIGEST = '0'.repeat(2 * DIGEST_BYTES);
const KINDS = { file: 1, folder: 2, link: 3 } as const;

export class StatIndex {
  readonly config: string;
  readonly targets: Readonly<Record<string, TargetRecord>>;
  readonly #rows: Buffer;
  readonly #digests: Buffer;
  readonly #names: string;

  private constructor(header: Header, rows: Buffer, digests: Buffer, names: string) {
    this.config = header.config;
    this.targets = header.targets;
    this.#rows = rows;
    this.#digests = digests;
    this.#names = names;
  }

  /** The index in a file, or undefined where there is none that can be used. */
  static read(path: string): StatIndex | undefined {
    try {
      const bytes = readFileSync(path);
      const line = bytes.indexOf(10);
      const header = JSON.parse(bytes.toString('utf8', 0, line)) as Header;
      const rowsAt = Math.ceil((line + 1) / 8) * 8;
      const digestsAt = rowsAt + header.items * FLOATS * 8;
      const namesAt = digestsAt + header.items * DIGEST_BYTES;
      if (namesAt > bytes.length) return undefined;
      const names = bytes.toString('utf8', namesAt);
      return new StatIndex(header, bytes.subarray(rowsAt, digestsAt), bytes.subarray(digestsAt, namesAt), names);
    } catch {
      // It is only a memory of work done; without it the work is done again.
      return undefined;
    }
  }

  /** Whether a folder looks exactly as it did. */
  matches(items: readonly WalkedItem[]): boolean {
    return this.#rows.equals(rowsOf(items)) && this.#names === namesOf(items);
  }

  /** Digests of the files among `items` that look as they did, in hexadecimal, by path. */
  knownDigests(items: readonly WalkedItem[]): Map<string, string> {
    const rows = rowsOf(items);
    const before = new Map(this.#names.split('\0').map((name, i) => [name, i]));
    const known = new Map<string, string>();
    items.forEach((item, i) => {
      const old = before.get(item.path);
      if (item.kind !== 'file' || old === undefined) return;
      const digest = this.#digests.toString('hex', old * DIGEST_BYTES, (old + 1) * DIGEST_BYTES);
      if (digest !== NO_DIGEST && row(rows, i).equals(row(this.#rows, old))) known.set(item.path, digest);
    });
    return known;
  }
}

export interface IndexContent {
  readonly config: string;
  readonly targets: Readonly<Record<string, TargetRecord>>;
  readonly items: readonly WalkedItem[];
  /** SHA-256 in hexadecimal, by path. */
  readonly digests: ReadonlyMap<string, string>;
  /** When the look at the folder began, milliseconds since 1970. */
  readonly lookedAtMs: number;
}

export function writeStatIndex(path: string, content: IndexContent): void {
  const header: Header = { config: content.config, targets: content.targets, items: content.items.length };
  const line = Buffer.from(`${JSON.stringify(header)}\n`);
  const padding = Buffer.alloc(Math.ceil(line.length / 8) * 8 - line.length);
  const digests = Buffer.alloc(content.items.length * DIGEST_BYTES);
  const rows = rowsOf(content.items);
  content.items.forEach((item, i) => {
    digests.write(content.digests.get(item.path) ?? '', i * DIGEST_BYTES, 'hex');
    // Not a number is equal to nothing: the file is read again next time.
    if (item.kind === 'file' && isRacy(item.stamp, content.lookedAtMs)) rows.writeDoubleLE(NaN, i * FLOATS * 8 + 16);
  });
  writeWhole(path, Buffer.concat([line, padding, rows, digests, Buffer.from(namesOf(content.items))]), path);
}

function rowsOf(items: readonly WalkedItem[]): Buffer {
  const floats = new Float64Array(items.length * FLOATS);
  let at = 0;
  for (const { kind, mode, stamp } of items) {
    floats[at++] = KINDS[kind] * 0x10000 + mode;
    floats[at++] = stamp.size;
    floats[at++] = stamp.mtimeMs;
    floats[at++] = stamp.ctimeMs;
    floats[at++] = stamp.ino;
  }
  return Buffer.from(floats.buffer);
}

function row(rows: Buffer, index: number): Buffer {
  return rows.subarray(index * FLOATS * 8, (index + 1) * FLOATS * 8);
}

/** A link that is kept says nothing new unless its target does, so that stands in its name. */
function namesOf(items: readonly WalkedItem[]): string {
  return items.map((item) => (item.target === undefined ? item.path : `${item.path} -> ${item.target}`)).join('\0');
}
