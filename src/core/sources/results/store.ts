/**
 * A store of results that many machines share: a repository of any registry that speaks the open distribution standard. It
 * only saves work: whatever goes wrong with it is said once, and everything is made here instead.
 */
import { createHash, type KeyObject } from 'node:crypto';
import { closeSync, mkdirSync, openSync, readFileSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';
import { EmballageError, messageOf, systemCode } from '../../base/errors';
import { printable } from '../../base/text';
import { contentDigest, fileDigest } from '../../disk/digest';
import { temporaryBeside, writeAll } from '../../disk/write';
import { EMPTY_BYTES, EMPTY_DESCRIPTOR, MAX_MANIFEST_BYTES, OCI_MANIFEST } from '../../formats/oci';
import { pushBlob, pushBytes, pushManifest, type RegistryConnection } from '../registry';
import { isSignedBy, readResult, writeResult, type Result, type ResultFile } from './result';

/** Files of a result: absolute path by name. */
export type Files = Readonly<Record<string, string>>;
/** The same, or what a file holds. */
export type Offered = Readonly<Record<string, string | Uint8Array>>;

export interface ResultStoreOptions {
  /** The registry; not asked before something is wanted. */
  readonly registry: () => Promise<RegistryConnection>;
  /** As people know it: `harbour.example:5000/fernhaven-store`. */
  readonly shown: string;
  /** The repository. */
  readonly name: string;
  readonly write: boolean;
  /** What tells this version of the tool from others, whose results are not ours. */
  readonly code: string;
  /** Only what one of these has signed is taken; everything where there is none. */
  readonly keys: readonly KeyObject[];
  readonly signWith: KeyObject | undefined;
  /** Milliseconds since 1970. */
  readonly now: () => number;
  /** Waits so many milliseconds; called with what stops waiting. */
  readonly after: (ms: number, then: () => void) => () => void;
  /** Told when it is asked nothing more, to end what is under way. */
  readonly onGivenUp: () => void;
  /** Told once of what is wrong with the store, and of each result that is refused. */
  readonly onTrouble: (text: string) => void;
}

export interface Tally {
  readonly fetched: number;
  readonly sent: number;
  readonly refused: number;
}

/** How long the store may take to say anything, and for each MiB beyond. */
const PATIENCE_MS = 5_000;
const PATIENCE_MS_A_MIB = 1_000;
const SENDS_AT_ONCE = 4;
const RENEWED_AFTER_MS = 7 * 24 * 3600 * 1000;
/** The kind of result whose key is the digest of what it holds. */
const BY_CONTENT = 'package';

export class ResultStore {
  readonly #options: ResultStoreOptions;
  readonly #tally = { fetched: 0, sent: 0, refused: 0 };
  readonly #sending: (() => Promise<void>)[] = [];
  readonly #lanes = new Set<Promise<void>>();
  /** Every manifest has a config, which registries want to have. */
  #empty: Promise<void> | undefined;
  /** Why it is no longer asked. */
  #off: string | undefined;

  constructor(options: ResultStoreOptions) {
    this.#options = options;
  }

  get shown(): string {
    return this.#options.shown;
  }

  get tally(): Tally {
    return { ...this.#tally };
  }

  /**
   * Fetches a result. Its files are there, each with the digest that the manifest states, or none of them is.
   * @param key digest of all that it was made of
   * @returns whether it was there
   */
  async fetch(kind: string, key: string, files: Files): Promise<boolean> {
    if (this.#off !== undefined) return false;
    try {
      const registry = await this.#options.registry();
      const tag = this.#tagOf(kind, key);
      const bytes = await this.#patiently(0, () => this.#manifest(registry, tag));
      if (bytes === undefined) return false;
      const result = readResult(bytes);
      const wrong = this.#whyNot(result, tag, files);
      if (result === undefined || wrong !== undefined) return this.#refuse(kind, key, wrong ?? 'no result');
      await this.#take(registry, result, files);
      this.#renew(registry, tag, result);
      return true;
    } catch (error) {
      if (error instanceof Wrong) return this.#refuse(kind, key, error.message);
      this.#giveUp(error);
      return false;
    }
  }

  /** Puts a result there, beside what else is done. Files have to stay as they are until `settle` has ended. */
  offer(kind: string, key: string, files: Offered): void {
    if (this.#options.write && this.#off === undefined) this.#queue(() => this.#send(kind, key, files));
  }

  #queue(work: () => Promise<void>): void {
    this.#sending.push(work);
    if (this.#lanes.size >= SENDS_AT_ONCE) return;
    const lane = this.#runLane();
    this.#lanes.add(lane);
    void lane.then(() => this.#lanes.delete(lane));
  }

  /** Waits until everything that was offered is there, or is not going to be. */
  async settle(): Promise<void> {
    while (this.#lanes.size > 0) await Promise.all(this.#lanes);
  }

  async #runLane(): Promise<void> {
    for (let next = this.#sending.shift(); next !== undefined; next = this.#sending.shift())
      if (this.#off === undefined) await next().catch((error: unknown) => this.#giveUp(error));
  }

  async #manifest(registry: RegistryConnection, tag: string): Promise<Buffer | undefined> {
    const doing = 'asking the shared store';
    const response = await registry.send({
      at: `/v2/${this.#options.name}/manifests/${tag}`,
      headers: { accept: OCI_MANIFEST },
      doing,
      scope: `repository:${this.#options.name}:pull`,
      expects: [200, 404],
      once: true,
    });
    const bytes = await registry.small(response, MAX_MANIFEST_BYTES, doing);
    return response.status === 404 ? undefined : bytes;
  }

  /** Why a result is not taken. */
  #whyNot(result: Result | undefined, tag: string, files: Files): string | undefined {
    if (result === undefined) return 'its manifest is none of a result';
    if (result.key !== tag) return `it was made for ${printable(result.key.slice(0, 24))}`;
    if (this.#options.keys.length > 0 && !isSignedBy(result, this.#options.keys))
      return result.signature === undefined
        ? 'it is not signed'
        : 'its signature is of none of the keys that are trusted';
    const names = result.files.map(({ name }) => name);
    const isWhole = Object.keys(files).every((name) => names.includes(name));
    return isWhole ? undefined : 'files are missing in it';
  }

  /** All files or none: each lies beside its place until all are right. */
  async #take(registry: RegistryConnection, result: Result, files: Files): Promise<void> {
    const here: [from: string, to: string][] = [];
    try {
      for (const [name, path] of Object.entries(files)) {
        const file = result.files.find((one) => one.name === name);
        if (file === undefined) continue;
        const come = file.data === undefined ? undefined : contained(file, file.data, path);
        here.push([come ?? (await this.#patiently(file.size, () => this.#file(registry, file, path))), path]);
      }
      for (const [from, to] of here) renameSync(from, to);
      this.#tally.fetched += 1;
    } finally {
      for (const [from] of here) rmSync(from, { force: true });
    }
  }

  async #file(registry: RegistryConnection, { digest, size }: ResultFile, path: string): Promise<string> {
    const doing = 'fetching from the shared store';
    const response = await registry.send({
      at: `/v2/${this.#options.name}/blobs/${digest}`,
      doing,
      scope: `repository:${this.#options.name}:pull`,
      expects: [200],
      once: true,
    });
    const temporary = temporaryBeside(path);
    const fd = inFolder(path, () => openSync(temporary, 'wx'));
    const hash = createHash('sha256');
    let length = 0;
    try {
      for await (const piece of response.body) {
        length += piece.length;
        if (length > size) throw new Wrong('a file in it is longer than it says');
        hash.update(piece);
        writeAll(fd, piece, null);
      }
      if (length < size) throw new Error('the answer broke off');
      if (`sha256:${hash.digest('hex')}` !== digest) throw new Wrong('a file in it has another digest than it says');
    } catch (error) {
      rmSync(temporary, { force: true });
      throw error;
    } finally {
      closeSync(fd);
    }
    return temporary;
  }

  async #send(kind: string, key: string, files: Offered): Promise<void> {
    const { name } = this.#options;
    const registry = await this.#options.registry();
    const all = Object.entries(files).map(([own, content]) => ({ name: own, content, size: sizeOf(content) }));
    const size = all.reduce((sum, one) => sum + one.size, 0);
    await this.#patiently(size, async () => {
      const memory = { recall: () => undefined, remember: () => undefined, forget: () => undefined };
      const described: ResultFile[] = [];
      for (const { name: own, content, size: length } of all) {
        if (length <= INLINE_BYTES) {
          const data = Buffer.from(typeof content === 'string' ? readFileSync(content) : content);
          described.push({ name: own, digest: `sha256:${contentDigest(data)}`, size: data.length, data });
          continue;
        }
        const digest = `sha256:${typeof content === 'string' ? fileDigest(content) : contentDigest(content)}`;
        const descriptor = { mediaType: 'application/octet-stream', digest, size: length };
        if (typeof content !== 'string') await pushBytes(registry, name, { digest, bytes: content });
        else {
          const stretch = { path: content, at: 0, size: length };
          await pushBlob(registry, { name, descriptor, content: stretch, mountFrom: [], memory });
        }
        described.push({ name: own, digest, size: length });
      }
      await (this.#empty ??= pushBytes(registry, name, { digest: EMPTY_DESCRIPTOR.digest, bytes: EMPTY_BYTES }));
      await this.#tag(registry, this.#tagOf(kind, key), described);
    });
    this.#tally.sent += 1;
  }

  async #tag(registry: RegistryConnection, tag: string, files: readonly ResultFile[]): Promise<void> {
    const { name, now, signWith } = this.#options;
    const bytes = writeResult(tag, files, { created: new Date(now()).toISOString(), signWith });
    const descriptor = { mediaType: OCI_MANIFEST, digest: `sha256:${contentDigest(bytes)}`, size: bytes.length };
    await pushManifest(registry, name, tag, descriptor, bytes);
  }

  /** What is still of use is dated anew now and then, so that its age tells when it was last wanted. */
  #renew(registry: RegistryConnection, tag: string, { created, files }: Result): void {
    const { write, now } = this.#options;
    if (!write || (created !== undefined && now() - Date.parse(created) < RENEWED_AFTER_MS)) return;
    this.#queue(() => this.#tag(registry, tag, files));
  }

  /** Tags are of at most 128 letters (distribution specification, "Pulling manifests"). */
  #tagOf(kind: string, key: string): string {
    // What a package is, its own digest says, whoever built it.
    return `${kind}-${kind === BY_CONTENT ? key : contentDigest(`${this.#options.code}\n${key}`)}`;
  }

  /** @throws Error where it takes too long */
  #patiently<T>(bytes: number, work: () => Promise<T>): Promise<T> {
    const ms = PATIENCE_MS + (bytes / 1024 ** 2) * PATIENCE_MS_A_MIB;
    return new Promise<T>((resolve, reject) => {
      const stop = this.#options.after(ms, () => reject(new Error('it takes too long')));
      work().then(resolve, reject).finally(stop);
    });
  }

  #refuse(kind: string, key: string, why: string): false {
    this.#tally.refused += 1;
    const { shown, onTrouble } = this.#options;
    onTrouble(
      `refused what the shared store ${printable(shown)} has as ${kind} ${key.slice(0, 12)}: ${why}; made here instead`,
    );
    return false;
  }

  #giveUp(error: unknown): void {
    if (this.#off !== undefined) return;
    this.#off = error instanceof EmballageError ? error.facts.found : messageOf(error);
    const { shown, onTrouble, onGivenUp } = this.#options;
    onGivenUp();
    onTrouble(`going on without the shared store ${printable(shown)}: ${printable(this.#off)}`);
  }
}

/** Files of at most that travel within the manifest, which may be of 4 MiB. */
const INLINE_BYTES = 96 * 1024;

/** Writes what a manifest holds itself. @returns where it lies */
function contained({ digest, size }: ResultFile, data: Buffer, path: string): string {
  if (data.length !== size || `sha256:${contentDigest(data)}` !== digest)
    throw new Wrong('a file in it has another digest than it says');
  const temporary = temporaryBeside(path);
  inFolder(path, () => writeFileSync(temporary, data, { flag: 'wx' }));
  return temporary;
}

/** Makes the folder of a path only where it is not there yet. */
function inFolder<T>(path: string, write: () => T): T {
  try {
    return write();
  } catch (error) {
    if (systemCode(error) !== 'ENOENT') throw error;
    mkdirSync(dirname(path), { recursive: true });
    return write();
  }
}

/** What came is not what it says it is. */
class Wrong extends Error {}

function sizeOf(content: string | Uint8Array): number {
  return typeof content === 'string' ? statSync(content).size : content.length;
}
