/** Repositories in the Maven layout, over HTTP or in a folder: POMs, lists of versions, and files with their checksums. */
import { createHash } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import picomatch from 'picomatch';
import { EmballageError } from '../../../base/errors';
import { present } from '../../../base/present';
import { printable } from '../../../base/text';
import { child, children, readXml } from '../../../formats/xml';
import { type Credentials, withoutCredentials } from '../../../toolchains/credentials';
import { NOT_FOUND, type ChosenSource, type HttpClient } from '../../../sources';
import type { Coordinates } from '../maven';
import type { MavenSettings } from './maven-settings';
import type { PackageStore, StoredFile } from '../../../sources';

export interface MavenFile {
  readonly group: string;
  readonly artifact: string;
  readonly version: string;
  readonly classifier: string;
  readonly extension: string;
}

export interface FetchedArtifact extends StoredFile {
  /** Name of the file. */
  readonly file: string;
  /** Address, without logins, or absolute path. */
  readonly from: string;
  readonly source: ChosenSource;
}

const MAX_POM_BYTES = 8 * 1024 * 1024;
const MAX_SUM_BYTES = 1024;
const CHECKSUMS = ['sha512', 'sha256', 'sha1', 'md5'] as const;

export class MavenRepositories {
  readonly #sources: readonly ChosenSource[];
  readonly #http: HttpClient;
  readonly #store: PackageStore;
  readonly #settings: MavenSettings;
  readonly #credentials: Credentials;

  constructor(
    sources: readonly ChosenSource[],
    {
      http,
      store,
      settings,
      credentials,
    }: { http: HttpClient; store: PackageStore; settings: MavenSettings; credentials: Credentials },
  ) {
    this.#sources = sources;
    this.#http = http;
    this.#store = store;
    this.#settings = settings;
    this.#credentials = credentials;
  }

  /** Text of a POM, with what messages call it; undefined where no repository has it. */
  async pom(group: string, artifact: string, version: string): Promise<{ text: string; shown: string } | undefined> {
    const file: MavenFile = { group, artifact, version, classifier: '', extension: 'pom' };
    for (const source of this.#serving(group)) {
      const found = await this.#document(source, layoutPath(file), MAX_POM_BYTES);
      if (found === undefined) continue;
      await this.#verify(source, layoutPath(file), found);
      return { text: found.toString('utf8'), shown: this.#shown(source, layoutPath(file)) };
    }
    return undefined;
  }

  /** Versions that the repositories list. */
  async versions(group: string, artifact: string): Promise<string[]> {
    const path = `${group.replaceAll('.', '/')}/${artifact}/maven-metadata.xml`;
    const versions = new Set<string>();
    for (const source of this.#serving(group)) {
      const found = await this.#document(source, path, MAX_POM_BYTES);
      if (found === undefined) continue;
      const read = readXml(found.toString('utf8'));
      if ('fault' in read || read.root.name !== 'metadata')
        throw bad(
          this.#shown(source, path),
          'a list of versions (`<metadata>`)',
          'fault' in read ? read.fault.what : 'something else',
        );
      for (const { text } of children(child(child(read.root, 'versioning'), 'versions'), 'version')) versions.add(text);
    }
    return [...versions];
  }

  /** An artifact's file, in the store; undefined where no repository has it. */
  async fetch(file: MavenFile): Promise<FetchedArtifact | undefined> {
    const path = layoutPath(file);
    for (const source of this.#serving(file.group)) {
      const stored = await this.#take(source, path);
      if (stored !== undefined)
        return { ...stored, file: path.slice(path.lastIndexOf('/') + 1), from: this.#from(source, path), source };
    }
    return undefined;
  }

  /** Other repositories that list a version of an artifact beside the one that gave it: only their order decides. */
  async alsoAt({ group, artifact, version }: Coordinates, from: ChosenSource): Promise<ChosenSource[]> {
    if (from.serves !== undefined) return [];
    const others = this.#serving(group).filter((one) => one !== from && this.#base(one) !== this.#base(from));
    const path = layoutPath({ group, artifact, version, classifier: '', extension: 'pom' });
    const has = await Promise.all(others.map((one) => this.#document(one, path, MAX_POM_BYTES)));
    return others.filter((_, i) => has[i] !== undefined);
  }

  /** Logins for an address that a lock names. */
  credentialsFor(url: string): Credentials {
    const source = this.#sources.find(({ kind, at }) => kind === 'index' && url.startsWith(at.replace(/\/+$/, '')));
    return source === undefined ? this.#credentials : this.#credentialsOf(source);
  }

  /** Where an address of a source is asked for: a mirror may stand in for it. */
  mirrored(url: string): string {
    for (const source of this.#sources) {
      const base = source.at.replace(/\/+$/, '');
      if (source.kind === 'index' && url.startsWith(`${base}/`)) return this.#base(source) + url.slice(base.length);
    }
    return url;
  }

  /** A group that a source is pinned to comes from there alone. */
  #serving(group: string): ChosenSource[] {
    const fits = ({ serves }: ChosenSource): boolean => serves?.some((pattern) => picomatch(pattern)(group)) ?? false;
    const pinned = this.#sources.filter(fits);
    return pinned.length > 0 ? pinned : this.#sources.filter(({ serves }) => serves === undefined);
  }

  #base(source: ChosenSource): string {
    return this.#settings.mirrorFor(present({ id: source.id, url: source.at.replace(/\/+$/, '') })).url;
  }

  #credentialsOf(source: ChosenSource): Credentials {
    const { id } = this.#settings.mirrorFor(present({ id: source.id, url: source.at.replace(/\/+$/, '') }));
    const host = new URL(this.#base(source)).host;
    return {
      authorizationFor: (url) =>
        (url.host === host ? this.#settings.loginFor(id) : undefined) ?? this.#credentials.authorizationFor(url),
    };
  }

  async #document(source: ChosenSource, path: string, maxBytes: number): Promise<Buffer | undefined> {
    if (source.kind === 'folder') {
      const file = join(source.at, path);
      return existsSync(file) ? readFileSync(file) : undefined;
    }
    const url = `${this.#base(source)}/${path}`;
    const doing = `asking for ${printable(path.slice(path.lastIndexOf('/') + 1))}`;
    const answer = await this.#http.fetch({ url, maxBytes, doing, credentials: this.#credentialsOf(source) });
    return answer === NOT_FOUND ? undefined : answer.bytes;
  }

  async #take(source: ChosenSource, path: string): Promise<StoredFile | undefined> {
    const file = path.slice(path.lastIndexOf('/') + 1);
    if (source.kind === 'folder') {
      const local = join(source.at, path);
      if (!existsSync(local)) return undefined;
      await this.#verify(source, path, readFileSync(local));
      return this.#store.get({ file, url: pathToFileURL(local).href }, this.#http);
    }
    const sum = await this.#checksum(source, path);
    // A file without any checksum is asked for all the same: old repositories have such.
    const url = `${this.#base(source)}/${path}`;
    let stored: StoredFile;
    try {
      stored = await this.#store.get(
        { file, url, credentials: this.#credentialsOf(source), ...(sum?.kind === 'sha256' && { sha256: sum.digest }) },
        this.#http,
      );
    } catch (error) {
      if (sum === undefined && error instanceof EmballageError && error.code === 'SOURCE_REFUSED') return undefined;
      throw error;
    }
    if (sum !== undefined) compareSum(readFileSync(stored.path), sum, this.#shown(source, path));
    return stored;
  }

  async #verify(source: ChosenSource, path: string, bytes: Buffer): Promise<void> {
    const sum = await this.#checksum(source, path);
    if (sum !== undefined) compareSum(bytes, sum, this.#shown(source, path));
  }

  /** The strongest checksum that the repository has. SHA-1 is what all of them have, and is asked for first. */
  async #checksum(source: ChosenSource, path: string): Promise<Checksum | undefined> {
    const kinds = source.kind === 'folder' ? CHECKSUMS : (['sha1', 'sha256', 'md5'] as const);
    for (const kind of kinds) {
      const found = await this.#document(source, `${path}.${kind}`, MAX_SUM_BYTES);
      if (found === undefined) continue;
      const text = found.toString('utf8');
      const [digest] = /\b[0-9a-f]{32,128}\b/i.exec(text) ?? [];
      if (digest === undefined)
        throw bad(
          `${this.#shown(source, path)}.${kind}`,
          'a checksum',
          /<html/i.test(text) ? 'a web page' : 'something else',
        );
      return { kind, digest: digest.toLowerCase() };
    }
    return undefined;
  }

  #shown(source: ChosenSource, path: string): string {
    return source.kind === 'folder' ? path : withoutCredentials(`${source.at.replace(/\/+$/, '')}/${path}`);
  }

  #from(source: ChosenSource, path: string): string {
    return source.kind === 'folder' ? join(source.at, path) : this.#shown(source, path);
  }
}

interface Checksum {
  readonly kind: (typeof CHECKSUMS)[number];
  readonly digest: string;
}

function compareSum(bytes: Buffer, { kind, digest }: Checksum, shown: string): void {
  const found = createHash(kind).update(bytes).digest('hex');
  if (found !== digest)
    throw new EmballageError('SOURCE_MISMATCH', {
      doing: 'verifying what a repository gave',
      where: printable(shown),
      expected: `the ${kind.toUpperCase().replace('SHA', 'SHA-')} that it states, ${digest}`,
      found: /^\s*<(?:!doctype html|html)/i.test(bytes.toString('latin1', 0, 200)) ? 'a web page' : found,
      mend: 'ask whoever runs the repository',
    });
}

function bad(where: string, expected: string, found: string): EmballageError {
  return new EmballageError('SOURCE_INVALID', {
    doing: 'asking a repository',
    where: printable(where),
    expected,
    found,
    mend: 'check the address of the repository in `sources`',
  });
}

/** `org.fernhaven:tides:1.2` lies at `org/fernhaven/tides/1.2/tides-1.2.jar`. */
export function layoutPath({ group, artifact, version, classifier, extension }: MavenFile): string {
  const name = `${artifact}-${version}${classifier === '' ? '' : `-${classifier}`}.${extension}`;
  return `${group.replaceAll('.', '/')}/${artifact}/${version}/${name}`;
}
