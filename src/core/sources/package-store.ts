/** Third-party files by their SHA-256: what was fetched once is never fetched again, and is verified before it is used. */
import { copyFileSync, existsSync, mkdirSync, renameSync, rmSync, statSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { EmballageError } from '../base/errors';
import { present } from '../base/present';
import { printable, percentDecoded } from '../base/text';
import { contentDigest, fileDigest } from '../disk/digest';
import { FileSink, guarded, temporaryBeside, writeWhole } from '../disk/write';
import { withoutCredentials, type Credentials } from '../toolchains/credentials';
import type { FetchRequest, HttpClient } from './http';
import { integrityFault } from './integrity';

/** A file as an index or a lock describes it. */
export interface PackageFile {
  /** File name, for messages. */
  readonly file: string;
  /** `http:`, `https:` or `file:`. */
  readonly url: string;
  /** Hexadecimal; undefined where the source says none. */
  readonly sha256?: string;
  /** Bytes, where known; where there is a digest, that counts: an index that states another size is only careless. */
  readonly size?: number;
  /** Subresource integrity, `sha512-…`; the strongest digest in it has to fit. */
  readonly integrity?: string;
  /** Logins for this file; those of the client otherwise. */
  readonly credentials?: Credentials;
}

export interface StoredFile {
  /** Absolute path. */
  readonly path: string;
  readonly sha256: string;
  readonly size: number;
}

const MAX_PACKAGE_BYTES = 4 * 1024 ** 3;

export class PackageStore {
  readonly #folder: string;
  readonly #verified = new Set<string>();

  /** @param folder absolute path */
  constructor(folder: string) {
    this.#folder = folder;
  }

  pathOf(sha256: string): string {
    return join(this.#folder, sha256);
  }

  /** The file with that digest, where it is here and whole; what is damaged is removed. */
  find(sha256: string): StoredFile | undefined {
    const path = this.pathOf(sha256);
    if (!existsSync(path)) return undefined;
    if (!this.#verified.has(sha256)) {
      if (fileDigest(path) !== sha256) {
        rmSync(path, { force: true });
        return undefined;
      }
      this.#verified.add(sha256);
    }
    return { path, sha256, size: statSync(path).size };
  }

  /**
   * The file, fetched where it is not here yet.
   * @throws EmballageError SOURCE_MISMATCH when what comes is not what was described; the store keeps nothing of it
   */
  async get(file: PackageFile, http: HttpClient): Promise<StoredFile> {
    const known = file.sha256 === undefined ? undefined : this.find(file.sha256);
    if (known !== undefined) return known;
    if (file.url.startsWith('file:')) return this.#takeIn(file);
    const request: FetchRequest = {
      url: file.url,
      maxBytes: (file.sha256 === undefined ? file.size : undefined) ?? MAX_PACKAGE_BYTES,
      doing: `fetching ${printable(file.file)}`,
      ...present({ credentials: file.credentials }),
    };
    const open: { sink?: FileSink } = {};
    await http.download(request, () => {
      const sink = new FileSink(this.pathOf('package'), this.#folder);
      open.sink = sink;
      return { take: (chunk) => sink.append(chunk), abandon: () => sink.discard() };
    });
    if (open.sink === undefined) throw new Error('nothing was downloaded');
    return this.#keep(file, open.sink.path, open.sink.close());
  }

  /** Takes in bytes that were made here. */
  put(bytes: Uint8Array): { readonly sha256: string; readonly size: number } {
    const sha256 = contentDigest(bytes);
    writeWhole(this.pathOf(sha256), bytes, this.#folder);
    this.#verified.add(sha256);
    return { sha256, size: bytes.length };
  }

  /** A copy of a local file, so that it cannot change under us. */
  #takeIn(file: PackageFile): StoredFile {
    const temporary = temporaryBeside(this.pathOf('package'));
    guarded(this.#folder, () => {
      mkdirSync(dirname(temporary), { recursive: true });
      copyFileSync(percentDecoded(new URL(file.url).pathname), temporary);
    });
    return this.#keep(file, temporary, fileDigest(temporary));
  }

  #keep(file: PackageFile, temporary: string, sha256: string): StoredFile {
    const { size } = statSync(temporary);
    const bad = mismatch(file, sha256, size) ?? badIntegrity(file, temporary);
    if (bad !== undefined) {
      rmSync(temporary, { force: true });
      throw bad;
    }
    guarded(this.#folder, () => renameSync(temporary, this.pathOf(sha256)));
    this.#verified.add(sha256);
    return { path: this.pathOf(sha256), sha256, size };
  }
}

function mismatch(file: PackageFile, sha256: string, size: number): EmballageError | undefined {
  const isOther = file.sha256 !== undefined && file.sha256 !== sha256;
  if (file.sha256 === sha256 || (!isOther && (file.size === undefined || file.size === size))) return undefined;
  return new EmballageError('SOURCE_MISMATCH', {
    doing: `fetching ${printable(file.file)}`,
    where: printable(file.url),
    expected: isOther ? `SHA-256 ${file.sha256}` : `${String(file.size)} bytes`,
    found: isOther ? `SHA-256 ${sha256}` : `${String(size)} bytes`,
    mend: 'find out why the file changed before you trust it; `emballage lock` settles anew',
  });
}

/** Subresource Integrity 3.3: where several digests are stated, the strongest counts. */
function badIntegrity(file: PackageFile, path: string): EmballageError | undefined {
  const fault = file.integrity === undefined ? undefined : integrityFault(path, file.integrity);
  if (fault === undefined) return undefined;
  return new EmballageError('SOURCE_MISMATCH', {
    doing: `fetching ${printable(file.file)}`,
    where: printable(withoutCredentials(file.url)),
    ...fault,
    mend: 'find out who changed the file; if that was right, settle the packages anew with its own package manager',
  });
}
