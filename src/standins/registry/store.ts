/** What the stand-in registry keeps, in a folder: blobs by digest, and for each repository its manifests, tags and blobs. */
import { createHash, randomBytes } from 'node:crypto';
import {
  appendFileSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { dirname, join } from 'node:path';
import { fileDigest } from '../../core/disk/digest';
import { nameFault, tagFault } from '../../core/formats/oci';

export interface StoredManifest {
  readonly digest: string;
  readonly mediaType: string;
  readonly bytes: Buffer;
}

const DIGEST = /^sha256:([0-9a-f]{64})$/;

export class RegistryStore {
  readonly #folder: string;

  /** @param folder absolute path; made where it is not there */
  constructor(folder: string) {
    this.#folder = folder;
    mkdirSync(join(folder, 'blobs'), { recursive: true });
    mkdirSync(join(folder, 'uploads'), { recursive: true });
  }

  isName(name: string): boolean {
    return nameFault(name) === undefined;
  }

  isTag(tag: string): boolean {
    return tagFault(tag) === undefined;
  }

  /** The path of a blob of a repository; undefined where it has none of that digest. */
  blob(name: string, digest: string): string | undefined {
    const path = this.#blobPath(digest);
    return path !== undefined && existsSync(this.#note(name, 'blobs', digest)) && existsSync(path) ? path : undefined;
  }

  mount(name: string, digest: string, from: string): boolean {
    if (this.blob(from, digest) === undefined) return false;
    this.#mark(name, 'blobs', digest, '');
    return true;
  }

  deleteBlob(name: string, digest: string): boolean {
    if (this.blob(name, digest) === undefined) return false;
    rmSync(this.#note(name, 'blobs', digest));
    return true;
  }

  beginUpload(): string {
    const id = randomBytes(12).toString('hex');
    writeFileSync(this.#uploadPath(id), '');
    return id;
  }

  /** Bytes that have arrived; undefined for an upload that is not known. */
  uploaded(id: string): number | undefined {
    return statSync(this.#uploadPath(id), { throwIfNoEntry: false })?.size;
  }

  append(id: string, bytes: Uint8Array): void {
    appendFileSync(this.#uploadPath(id), bytes);
  }

  cancelUpload(id: string): void {
    rmSync(this.#uploadPath(id), { force: true });
  }

  /** @returns false where the content is not what the digest says; then the upload is gone */
  finishUpload(id: string, name: string, digest: string): boolean {
    const path = this.#blobPath(digest);
    if (path === undefined || `sha256:${fileDigest(this.#uploadPath(id))}` !== digest) {
      this.cancelUpload(id);
      return false;
    }
    renameSync(this.#uploadPath(id), path);
    this.#mark(name, 'blobs', digest, '');
    return true;
  }

  putManifest(name: string, reference: string, mediaType: string, bytes: Buffer): string {
    const digest = `sha256:${createHash('sha256').update(bytes).digest('hex')}`;
    const path = this.#blobPath(digest);
    if (path !== undefined) writeFileSync(path, bytes);
    this.#mark(name, 'manifests', digest, mediaType);
    if (!DIGEST.test(reference)) this.#mark(name, 'tags', reference, digest);
    return digest;
  }

  /** @param reference a tag or a digest */
  manifest(name: string, reference: string): StoredManifest | undefined {
    const digest = DIGEST.test(reference) ? reference : this.#read(name, 'tags', reference);
    const mediaType = digest === undefined ? undefined : this.#read(name, 'manifests', digest);
    const path = digest === undefined ? undefined : this.#blobPath(digest);
    if (digest === undefined || mediaType === undefined || path === undefined || !existsSync(path)) return undefined;
    return { digest, mediaType, bytes: readFileSync(path) };
  }

  /** Deletes a manifest with the tags that name it, or a tag alone. */
  deleteManifest(name: string, reference: string): boolean {
    if (!DIGEST.test(reference)) {
      const isThere = this.#read(name, 'tags', reference) !== undefined;
      rmSync(this.#note(name, 'tags', reference), { force: true });
      return isThere;
    }
    if (this.#read(name, 'manifests', reference) === undefined) return false;
    rmSync(this.#note(name, 'manifests', reference));
    for (const tag of this.tags(name) ?? [])
      if (this.#read(name, 'tags', tag) === reference) rmSync(this.#note(name, 'tags', tag));
    return true;
  }

  /** In order; undefined for a repository that is not known. */
  tags(name: string): string[] | undefined {
    if (!existsSync(join(this.#folder, 'repositories', name))) return undefined;
    return this.#names(name, 'tags').sort();
  }

  manifests(name: string): StoredManifest[] {
    return this.#names(name, 'manifests').flatMap((digest) => this.manifest(name, digest) ?? []);
  }

  #names(name: string, kind: string): string[] {
    try {
      return readdirSync(join(this.#folder, 'repositories', name, `_${kind}`));
    } catch {
      return [];
    }
  }

  #mark(name: string, kind: 'blobs' | 'manifests' | 'tags', key: string, value: string): void {
    const path = this.#note(name, kind, key);
    mkdirSync(dirname(path), { recursive: true });
    writeFileSync(path, value);
  }

  #read(name: string, kind: 'manifests' | 'tags', key: string): string | undefined {
    try {
      return readFileSync(this.#note(name, kind, key), 'utf8');
    } catch {
      return undefined;
    }
  }

  #note(name: string, kind: string, key: string): string {
    return join(this.#folder, 'repositories', name, `_${kind}`, key);
  }

  #blobPath(digest: string): string | undefined {
    const [, hex] = DIGEST.exec(digest) ?? [];
    return hex === undefined ? undefined : join(this.#folder, 'blobs', hex);
  }

  #uploadPath(id: string): string {
    return join(this.#folder, 'uploads', id);
  }
}
