/**
 * The stat index of a function: what its source folder and its artifacts looked like after the last build, with the
 * digest of every file. It lets a build find out that nothing has changed without reading a file.
 *
 * File layout: one line of JSON, a line feed; padding to 8 bytes; for each item five 64-bit floats (kind and mode, size,
 * mtimeMs, ctimeMs, inode); for each folder gone into the same, of which the first two are zero; for each item 32 bytes
 * of SHA-256 (zero where there is none); the names of the items, then those of the folders, each list NUL-separated.
 */
import { lstatSync, readFileSync } from 'node:fs';
import { isRacy, type Stamp } from '../../disk/stamp';
import type { WalkedFolder, WalkedItem } from '../../disk/walk';
import { writeMemory } from '../../disk/write';
import type { Survey } from '../../fileset/collect';
import type { Watched } from '../../project/inputs';
import type { LeftOut } from '../../fileset/model';

export interface TargetRecord {
  readonly sha256: string;
  readonly size: number;
  readonly unpacked: number;
  readonly files: number;
  readonly trimmed: number;
  /** Stamps of the artifact and the waybill in the output folder. */
  readonly artifact: Stamp;
  readonly waybill: Stamp;
}

interface Header {
  /** Everything but the source files that the artifacts depend on, as text. */
  readonly config: string;
  /** The part of it that all languages have, as text. */
  readonly common: string;
  /** What files of the project that count beside the source folder looked like. */
  readonly watched: readonly Watched[];
  readonly targets: Readonly<Record<string, TargetRecord>>;
  readonly leftOut: readonly LeftOut[];
  readonly items: number;
  readonly folders: number;
  /** Bytes of the items' names. */
  readonly itemNames: number;
  /** Whether links were met, so that stamps of the paths alone do not tell. */
  readonly hasLinks: boolean;
}

interface Parts {
  readonly header: Header;
  /** Items first, then folders. */
  readonly rows: Buffer;
  readonly digests: Buffer;
  readonly itemNames: string;
  readonly folderNames: string;
}

const FLOATS = 5;
const ROW_BYTES = FLOATS * 8;
const DIGEST_BYTES = 32;
/** What stands for a file that was left out. */
const NO_DIGEST = '0'.repeat(2 * DIGEST_BYTES);
const KINDS = { file: 1, folder: 2, link: 3 } as const;
const KIND_FACTOR = 0x10000;

export class StatIndex {
  readonly #parts: Parts;
  #known: { readonly items: readonly WalkedItem[]; readonly digests: ReadonlyMap<string, string> } | undefined;

  private constructor(parts: Parts) {
    this.#parts = parts;
  }

  /** The index in a file, or undefined where there is none that can be used. */
  static read(path: string): StatIndex | undefined {
    try {
      const bytes = readFileSync(path);
      const line = bytes.indexOf(10);
      const header = JSON.parse(bytes.toString('utf8', 0, line)) as Header;
      const rowsAt = Math.ceil((line + 1) / 8) * 8;
      const digestsAt = rowsAt + (header.items + header.folders) * ROW_BYTES;
      const namesAt = digestsAt + header.items * DIGEST_BYTES;
      const folderNamesAt = namesAt + header.itemNames;
      if (!(folderNamesAt <= bytes.length)) return undefined;
      return new StatIndex({
        header,
        rows: bytes.subarray(rowsAt, digestsAt),
        digests: bytes.subarray(digestsAt, namesAt),
        itemNames: bytes.toString('utf8', namesAt, folderNamesAt),
        folderNames: bytes.toString('utf8', folderNamesAt),
      });
    } catch {
      // It is only a memory of work done; without it the work is done again.
      return undefined;
    }
  }

  get config(): string {
    return this.#parts.header.config;
  }

  get common(): string {
    return this.#parts.header.common;
  }

  get watched(): readonly Watched[] {
    return this.#parts.header.watched;
  }

  get targets(): Readonly<Record<string, TargetRecord>> {
    return this.#parts.header.targets;
  }

  get leftOut(): readonly LeftOut[] {
    return this.#parts.header.leftOut;
  }

  /**
   * Whether everything in a folder looks exactly as it did, without listing what is in it: a folder whose times have
   * not moved holds the same names. False also where that cannot be told so, and the folder has to be walked.
   * @param root absolute path
   */
  standsAsItDid(root: string): boolean {
    const { header, itemNames, folderNames } = this.#parts;
    if (header.hasLinks) return false;
    const rows = floatsOf(this.#parts.rows);
    const looksAsBefore = (name: string, at: number, isFolder: boolean): boolean => {
      const stat = lstatSync(name === '' ? root : `${root}/${name}`, { throwIfNoEntry: false });
      if (stat?.isDirectory() !== isFolder) return false;
      if (stat.ctimeMs !== rows[at + 3] || stat.mtimeMs !== rows[at + 2] || stat.ino !== rows[at + 4]) return false;
      return isFolder || (stat.size === rows[at + 1] && KINDS.file * KIND_FACTOR + stat.mode === rows[at]);
    };
    const isFolderRow = (at: number): boolean => Math.floor((rows[at] ?? 0) / KIND_FACTOR) === KINDS.folder;
    try {
      const folders = folderNames.split('\0');
      if (!folders.every((name, i) => looksAsBefore(name, (header.items + i) * FLOATS, true))) return false;
      return namesIn(itemNames).every((name, i) => isFolderRow(i * FLOATS) || looksAsBefore(name, i * FLOATS, false));
    } catch {
      // What cannot be looked at comes up in the walk.
      return false;
    }
  }

  /** Keeps it with what files beside the source folder look like now. */
  watchAnew(path: string, watched: readonly Watched[]): void {
    try {
      writeParts(path, { ...this.#parts, header: { ...this.#parts.header, watched } });
    } catch {
      // The next look takes a little longer, nothing more.
    }
  }

  /** Whether a folder looks exactly as it did. */
  matches(items: readonly WalkedItem[]): boolean {
    const rows = this.#parts.rows.subarray(0, this.#parts.header.items * ROW_BYTES);
    return rows.equals(rowsOf(items)) && this.#parts.itemNames === namesOf(items);
  }

  /** Whether the same names are there, and every file whose digest is known has it still. @param digestOf of a file, by path */
  hasContent(items: readonly WalkedItem[], digestOf: (item: WalkedItem) => string): boolean {
    if (this.#parts.itemNames !== namesOf(items)) return false;
    return items.every((item, i) => {
      if (item.kind !== 'file') return true;
      const digest = this.#parts.digests.toString('hex', i * DIGEST_BYTES, (i + 1) * DIGEST_BYTES);
      return digest !== NO_DIGEST && digest === digestOf(item);
    });
  }

  /** Digests of the files among `items` that look as they did, in hexadecimal, by path. */
  knownDigests(items: readonly WalkedItem[]): ReadonlyMap<string, string> {
    if (this.#known?.items !== items) this.#known = { items, digests: this.#findKnown(items) };
    return this.#known.digests;
  }

  #findKnown(items: readonly WalkedItem[]): Map<string, string> {
    const rows = rowsOf(items);
    const before = new Map(namesIn(this.#parts.itemNames).map((name, i) => [name, i]));
    const known = new Map<string, string>();
    items.forEach((item, i) => {
      const old = before.get(item.path);
      if (item.kind !== 'file' || old === undefined) return;
      const digest = this.#parts.digests.toString('hex', old * DIGEST_BYTES, (old + 1) * DIGEST_BYTES);
      if (digest !== NO_DIGEST && row(rows, i).equals(row(this.#parts.rows, old))) known.set(item.path, digest);
    });
    return known;
  }
}

export interface IndexContent {
  readonly config: string;
  readonly common: string;
  readonly watched: readonly Watched[];
  readonly targets: Readonly<Record<string, TargetRecord>>;
  readonly survey: Pick<Survey, 'items' | 'folders' | 'hasLinks'>;
  readonly leftOut: readonly LeftOut[];
  /** SHA-256 in hexadecimal, by path. */
  readonly digests: ReadonlyMap<string, string>;
  /** When the look at the folder began, milliseconds since 1970. */
  readonly lookedAtMs: number;
}

/** Writes an index, whole. @param path absolute */
export function writeStatIndex(path: string, content: IndexContent): void {
  const { config, common, watched, targets, survey, leftOut } = content;
  const { items, folders, hasLinks } = survey;
  const itemNames = Buffer.byteLength(namesOf(items));
  const counts = { items: items.length, folders: folders.length, itemNames };
  const header: Header = { config, common, watched, targets, leftOut, ...counts, hasLinks };
  const digests = Buffer.alloc(items.length * DIGEST_BYTES);
  const rows = rowsOf(items);
  items.forEach((item, i) => {
    digests.write(content.digests.get(item.path) ?? '', i * DIGEST_BYTES, 'hex');
    if (item.kind === 'file') distrustRacy(rows, i, item.stamp, content.lookedAtMs);
  });
  const folderRows = rowsOfFolders(folders);
  folders.forEach((folder, i) => distrustRacy(folderRows, i, folder.stamp, content.lookedAtMs));
  const folderNames = folders.map((folder) => folder.path).join('\0');
  writeParts(path, {
    header,
    rows: Buffer.concat([rows, folderRows]),
    digests,
    itemNames: namesOf(items),
    folderNames,
  });
}

function writeParts(path: string, { header, rows, digests, itemNames, folderNames }: Parts): void {
  const line = Buffer.from(`${JSON.stringify(header)}\n`);
  const padding = Buffer.alloc(Math.ceil(line.length / 8) * 8 - line.length);
  const names = [Buffer.from(itemNames), Buffer.from(folderNames)];
  writeMemory(path, Buffer.concat([line, padding, rows, digests, ...names]), path);
}

/** Not a number is equal to nothing: what may have changed unseen is looked at again next time. */
function distrustRacy(rows: Buffer, index: number, stamp: Stamp, lookedAtMs: number): void {
  if (isRacy(stamp, lookedAtMs)) rows.writeDoubleLE(NaN, index * ROW_BYTES + 16);
}

function rowsOf(items: readonly WalkedItem[]): Buffer {
  const floats = new Float64Array(items.length * FLOATS);
  items.forEach(({ kind, mode, stamp }, i) => {
    floats.set([KINDS[kind] * KIND_FACTOR + mode, stamp.size, stamp.mtimeMs, stamp.ctimeMs, stamp.ino], i * FLOATS);
  });
  return Buffer.from(floats.buffer);
}

function rowsOfFolders(folders: readonly WalkedFolder[]): Buffer {
  const floats = new Float64Array(folders.length * FLOATS);
  folders.forEach(({ stamp }, i) => {
    floats.set([0, 0, stamp.mtimeMs, stamp.ctimeMs, stamp.ino], i * FLOATS);
  });
  return Buffer.from(floats.buffer);
}

/** The same bytes as numbers; copied, since they may lie anywhere in the file. */
function floatsOf(rows: Buffer): Float64Array {
  return new Float64Array(new Uint8Array(rows).buffer);
}

function row(rows: Buffer, index: number): Buffer {
  return rows.subarray(index * ROW_BYTES, (index + 1) * ROW_BYTES);
}

/** A link that is kept says nothing new unless its target does, so that stands in its name. */
function namesOf(items: readonly WalkedItem[]): string {
  return items.map((item) => (item.target === undefined ? item.path : `${item.path} -> ${item.target}`)).join('\0');
}

function namesIn(names: string): string[] {
  return names === '' ? [] : names.split('\0');
}
