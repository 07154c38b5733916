/**
 * The content-addressed store: artifacts by the digest of everything that went into them. An artifact is used only when
 * its bytes still have the digest recorded with it.
 */
import { readFileSync, renameSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { fileDigest } from '../../disk/digest';
import { FileSink, guarded, linkOrCopy, writeWhole } from '../../disk/write';

export interface StoredArtifact {
  readonly sha256: string;
  readonly size: number;
  readonly unpacked: number;
}

export class Store {
  readonly #folder: string;

  /** @param folder absolute path; made when something is put in */
  constructor(folder: string) {
    this.#folder = folder;
  }

  /** A file to write an artifact into; `keep` takes it in. */
  begin(): FileSink {
    return new FileSink(join(this.#folder, 'artifact'), this.#folder);
  }

  /** Takes in what was written and closed. */
  keep(key: string, sink: FileSink, artifact: StoredArtifact): void {
    guarded(this.#folder, () => renameSync(sink.path, this.#path(key)));
    writeWhole(`${this.#path(key)}.json`, JSON.stringify(artifact), this.#folder);
  }

  /** The artifact with that key, if it is there and whole; what is damaged is removed. */
  find(key: string): StoredArtifact | undefined {
    try {
      const artifact = JSON.parse(readFileSync(`${this.#path(key)}.json`, 'utf8')) as StoredArtifact;
      if (fileDigest(this.#path(key)) === artifact.sha256) return artifact;
    } catch {
      // Not there, or not whole.
    }
    this.#remove(key);
    return undefined;
  }

  /** Puts an artifact under a name, whole or not at all. */
  place(key: string, target: string): void {
    linkOrCopy(this.#path(key), target);
  }

  #path(key: string): string {
    return join(this.#folder, key);
  }

  #remove(key: string): void {
    rmSync(this.#path(key), { force: true });
    rmSync(`${this.#path(key)}.json`, { force: true });
  }
}
