/**
 * Blobs of images by their SHA-256: layers that were made here, and what was fetched. A blob that looks as it did when it
 * was last verified is not read again.
 */
import { readFileSync, renameSync, rmSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { contentDigest, fileDigest } from '../../disk/digest';
import { readStretch, stretchPieces } from '../../disk/file-source';
import { FileSink, guarded, linkOrCopy, temporaryBeside, writeWhole } from '../../disk/write';
import { hexOf, type BlobHolder, type Descriptor, type Stretch } from '../../formats/oci';
import { KINDS, type StateFolder } from '../../project/state/state';
import type { Project } from '../../project/targets';

interface Record {
  readonly size: number;
  readonly mtimeMs: number;
  readonly ino: number;
}

const HEX = /^[0-9a-f]{64}$/;

/** The blobs of a project. */
export function blobStore({ state }: Pick<Project, 'state'>): BlobStore {
  return new BlobStore(state);
}

export class BlobStore implements BlobHolder {
  readonly shown = 'the store of image layers';
  readonly #state: StateFolder;
  readonly #folder: string;
  readonly #seen = new Map<string, Stretch>();

  constructor(state: StateFolder) {
    this.#state = state;
    this.#folder = state.folder(KINDS.blobs);
  }

  /** A file to write a blob into; `takeIn` takes it in when it is closed. */
  begin(): FileSink {
    return new FileSink(join(this.#folder, 'blob'), this.#folder);
  }

  put(bytes: Uint8Array): Stretch {
    const hex = contentDigest(bytes);
    const known = this.find(hex);
    if (known !== undefined) return known;
    const temporary = temporaryBeside(join(this.#folder, hex));
    writeWhole(temporary, bytes, this.#folder);
    return this.takeIn(temporary, hex);
  }

  /** Copies a stretch of another file in, where it is not here yet. The caller verifies the digest that comes out. */
  copyIn(stretch: Stretch): string {
    const sink = this.begin();
    for (const piece of stretchPieces(stretch)) sink.append(piece);
    const hex = sink.close();
    this.takeIn(sink.path, hex);
    return hex;
  }

  /** The blob with that digest, where it is here and whole; what is damaged is removed. */
  find(hex: string): Stretch | undefined {
    if (!HEX.test(hex)) return undefined;
    const seen = this.#seen.get(hex);
    if (seen !== undefined) return seen;
    const path = this.#path(hex);
    const stat = statSync(path, { throwIfNoEntry: false });
    if (stat === undefined) return undefined;
    const record = this.#record(hex);
    const looksSame = record?.size === stat.size && record.mtimeMs === stat.mtimeMs && record.ino === stat.ino;
    if (!looksSame) {
      if (fileDigest(path) !== hex) {
        guarded(path, () => rmSync(path, { force: true }));
        return undefined;
      }
      this.#note(hex);
    }
    const stretch = { path, at: 0, size: stat.size };
    this.#seen.set(hex, stretch);
    return stretch;
  }

  read(stretch: Stretch): Buffer {
    return readStretch(stretch);
  }

  /** Absolute path of a blob. */
  pathOf(hex: string): string {
    return this.#path(hex);
  }

  /** Absolute paths for a layer and the note on it, until it is known what they are. */
  places(): { readonly layer: string; readonly note: string } {
    const beside = join(this.#folder, 'fetched');
    return { layer: temporaryBeside(beside), note: temporaryBeside(beside) };
  }

  /** Path of what has come of a blob so far, when fetching it was cut off. */
  partial(hex: string): string {
    return join(this.#folder, `${hex}.partial`);
  }

  /** Takes in a file whose digest is known to be that. */
  takeIn(from: string, hex: string): Stretch {
    const path = this.#path(hex);
    guarded(this.#folder, () => renameSync(from, path));
    this.#note(hex);
    const stretch = { path, at: 0, size: statSync(path).size };
    this.#seen.set(hex, stretch);
    return stretch;
  }

  /** Whether all of these are here and whole. */
  hasAll(blobs: readonly Pick<Descriptor, 'digest'>[]): boolean {
    return blobs.every(({ digest }) => this.find(hexOf(digest)) !== undefined);
  }

  /** Puts a blob under another name, without copying it where the file system allows. */
  place(hex: string, target: string): void {
    linkOrCopy(this.#path(hex), target);
  }

  /** A note on how layers came about, by name; undefined where there is none that can be read. */
  recall(name: string): unknown {
    return this.#state.recall(KINDS.layers, name);
  }

  remember(name: string, note: object): void {
    this.#state.remember(KINDS.layers, name, note);
  }

  #note(hex: string): void {
    const { size, mtimeMs, ino } = statSync(this.#path(hex));
    writeWhole(`${this.#path(hex)}.json`, JSON.stringify({ size, mtimeMs, ino } satisfies Record), this.#folder);
  }

  /** What a blob looked like when it was last verified. */
  #record(hex: string): Record | undefined {
    try {
      return JSON.parse(readFileSync(`${this.#path(hex)}.json`, 'utf8')) as Record;
    } catch {
      return undefined;
    }
  }

  #path(hex: string): string {
    return join(this.#folder, hex);
  }
}
