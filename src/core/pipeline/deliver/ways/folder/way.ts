/** Delivers into a folder or a mounted share: whole files by their digests, the waybill beside. */
import type { Project } from '../../../../project/targets';
import { mkdirSync, rmSync, statSync } from 'node:fs';
import { dirname, isAbsolute, join, relative } from 'node:path';
import { EmballageError } from '../../../../base/errors';
import { settlePath } from '../../../../base/paths';
import { printable } from '../../../../base/text';
import { fileDigest } from '../../../../disk/digest';
import { stretchPieces } from '../../../../disk/file-source';
import { FileSink, guarded, replaceLarge } from '../../../../disk/write';
import type { Delivery } from '../../ledger';
import type { Payload, PayloadFile } from '../../payload';
import { fetchFiles } from '../fetch-files';
import { filesOf, lookAtFiles, placedFiles, sentBlob, takeBackFiles, type FileToSend } from '../files';
import type { Fetched, FetchWanted, DeliveryStatus, Placed, SendOptions, SentBlob, TakenBack, Way } from '../way';

export class FolderWay implements Way {
  readonly name = 'folder';
  readonly isTold = false;
  readonly at: string;
  readonly #folder: string;

  /** @param folder absolute path @param at as the destination names it */
  constructor(folder: string, at: string) {
    this.#folder = folder;
    this.at = at;
  }

  look(payload: Payload, last: Delivery | undefined): Promise<DeliveryStatus> {
    this.#mustBeThere(`looking at what stands of ${payload.name}`);
    const missing = filesOf(payload).filter((file) => sizeAt(this.#path(payload.name, file)) !== file.size);
    return Promise.resolve(lookAtFiles(payload, last, missing));
  }

  send(payload: Payload, _look: DeliveryStatus, { onProgress }: SendOptions): Promise<Placed> {
    this.#mustBeThere(`sending ${payload.name}`);
    const files = filesOf(payload);
    const total = files.reduce((sum, { size }) => sum + size, 0);
    const blobs: SentBlob[] = [];
    let done = 0;
    for (const file of files) {
      const isThere = this.#put(payload.name, file);
      blobs.push(sentBlob(file, isThere ? 'there' : 'sent'));
      onProgress((done += file.size), total);
    }
    const locationOf = (file: FileToSend): string => join(this.at, placeOf(payload.name, file));
    return Promise.resolve(placedFiles(payload, files, { locationOf, blobs }));
  }

  fetch(delivery: Delivery, wanted: FetchWanted): Promise<Fetched> {
    this.#mustBeThere(`fetching ${delivery.function}`);
    return fetchFiles(delivery, wanted, ({ location, to }) => {
      const path = this.#pathOf(location);
      if (sizeAt(path) === undefined) return Promise.resolve(undefined);
      copyWhole({ path, shown: location }, to, location);
      return Promise.resolve({ sha256: fileDigest(to) });
    });
  }

  takeBack(delivery: Delivery, others: readonly Delivery[]): Promise<TakenBack> {
    this.#mustBeThere(`recalling ${delivery.function}`);
    return takeBackFiles(delivery, others, (location) => {
      const path = this.#pathOf(location);
      if (sizeAt(path) === undefined) return false;
      guarded(location, () => {
        rmSync(path, { force: true });
      });
      return true;
    });
  }

  /** @returns whether it was there already; what is damaged there is put anew */
  #put(name: string, file: FileToSend): boolean {
    const to = this.#path(name, file);
    const shown = join(this.at, placeOf(name, file));
    if (sizeAt(to) === file.size && fileDigest(to) === file.sha256) return true;
    copyWhole(file, to, shown);
    // A share may keep other bytes than it was given.
    const found = fileDigest(to);
    if (found === file.sha256) return false;
    rmSync(to, { force: true });
    throw new EmballageError('DELIVERY_INVALID', {
      doing: `sending ${name}`,
      where: printable(shown),
      expected: `SHA-256 ${file.sha256}`,
      found: `SHA-256 ${found}`,
      mend: 'look whether the disk there is sound, then send it again; nothing of it was left there',
    });
  }

  /** Where a file of a delivery lies. The ledger may have been edited: what leaves the folder is not touched. */
  #pathOf(location: string): string {
    const inside = settlePath(relative(this.at, location));
    if (inside !== undefined && inside !== '') return join(this.#folder, inside);
    throw new EmballageError('LEDGER_INVALID', {
      doing: 'looking for what was delivered',
      where: printable(this.at),
      expected: 'a place in that folder, as `emballage send` notes it',
      found: `\`${printable(location)}\``,
      mend: 'take the ledger from version control again',
    });
  }

  #path(name: string, file: FileToSend): string {
    return join(this.#folder, placeOf(name, file));
  }

  /** What is not mounted is not to be filled. */
  #mustBeThere(doing: string): void {
    if (statSync(this.#folder, { throwIfNoEntry: false })?.isDirectory() === true) return;
    throw new EmballageError('DELIVERY_UNREACHABLE', {
      doing,
      where: printable(this.at),
      expected: 'a folder',
      found: 'none',
      mend: 'mount or make it, or correct `deliver: { folder: … }` in the destination',
    });
  }
}

/** Path below the folder. */
function placeOf(name: string, { kind, sha256, of, ending }: FileToSend): string {
  if (kind === 'beside') return join(name, 'beside', `${sha256}${ending}`);
  return join(name, `${of ?? sha256}${ending}`);
}

function sizeAt(path: string): number | undefined {
  const stat = statSync(path, { throwIfNoEntry: false });
  return stat?.isFile() === true ? stat.size : undefined;
}

/** Appears whole or not at all. */
function copyWhole(from: Pick<PayloadFile, 'path' | 'shown'>, to: string, shown: string): void {
  guarded(shown, () => mkdirSync(dirname(to), { recursive: true }));
  const sink = new FileSink(to, shown, false);
  try {
    for (const piece of stretchPieces({ path: from.path, at: 0, size: statSync(from.path).size })) sink.append(piece);
    sink.close();
    guarded(shown, () => replaceLarge(sink.path, to));
  } catch (error) {
    sink.discard();
    throw error;
  }
}

/** @param folder as the destination names it */
export function openFolder({ root }: Project, folder: string): Way {
  return new FolderWay(isAbsolute(folder) ? folder : join(root, folder), folder);
}
