/**
 * Feeds of packages: the third version of the protocol (service index, package base address, registrations), and folders.
 * What they say of a package's digest is verified before it is used.
 */
import { createHash } from 'node:crypto';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import picomatch from 'picomatch';
import { EmballageError } from '../../../base/errors';
import { printable } from '../../../base/text';
import { NOT_FOUND, type ChosenSource, type HttpClient, type PackageStore, type StoredFile } from '../../../sources';
import { withoutCredentials, type Credentials } from '../../../toolchains/credentials';
import { contentHash } from './content-hash';
import { readNuspec, type Nuspec } from './nuspec';
import { badPackage, nuspecIn } from './package-file';
import { parseVersion, type PackageVersion } from './version';

export interface FetchedPackage extends StoredFile {
  readonly file: string;
  /** Address, without logins, or absolute path. */
  readonly from: string;
  readonly source: ChosenSource;
  readonly contentHash: string;
  readonly nuspec: Nuspec;
}

interface Service {
  /** Where packages lie; with a slash at its end. */
  readonly packages: string;
  /** Where what is known of them lies. */
  readonly registrations?: string;
}

export interface FeedsRequest {
  readonly http: HttpClient;
  readonly store: PackageStore;
  readonly credentials: Credentials;
  /** Value of the Authorization header, by the name of a feed. */
  readonly logins: ReadonlyMap<string, string>;
}

const MOST_JSON_BYTES = 64 * 1024 * 1024;
const MOST_NUSPEC_BYTES = 4 * 1024 * 1024;
const MOST_VERSIONS = 100_000;
/** The best form of it first. */
const REGISTRATIONS = ['RegistrationsBaseUrl/3.6.0', 'RegistrationsBaseUrl/3.4.0', 'RegistrationsBaseUrl'];

export class Feeds {
  readonly #sources: readonly ChosenSource[];
  readonly #request: FeedsRequest;
  readonly #services = new Map<string, Promise<Service>>();
  readonly #folders = new Map<string, ReadonlyMap<string, string>>();

  constructor(sources: readonly ChosenSource[], request: FeedsRequest) {
    this.#sources = sources;
    this.#request = request;
  }

  /** Versions that a feed has of a package: the first feed that has any counts. */
  async versions(name: string): Promise<{ readonly source: ChosenSource; readonly all: PackageVersion[] } | undefined> {
    for (const source of this.#serving(name)) {
      const all = await this.#versionsAt(source, name);
      if (all.length > 0) return { source, all };
    }
    return undefined;
  }

  /** Other feeds that have the package as well: only their order decides. */
  async alsoAt(name: string, from: ChosenSource): Promise<ChosenSource[]> {
    if (from.serves !== undefined) return [];
    const others = this.#serving(name).filter((one) => one !== from);
    const has = await Promise.all(others.map((one) => this.#versionsAt(one, name)));
    return others.filter((_, i) => (has[i]?.length ?? 0) > 0);
  }

  /** What a package says of itself, without the rest of it where the feed can give that. */
  async nuspec(source: ChosenSource, name: string, version: PackageVersion): Promise<Nuspec> {
    if (source.kind === 'folder')
      return nuspecIn(this.#localBytes(source, name, version), fileOf(name, version)).nuspec;
    const { packages } = await this.#service(source);
    const id = name.toLowerCase();
    const url = `${packages}${id}/${version.text.toLowerCase()}/${id}.nuspec`;
    const bytes = await this.#document(source, url, MOST_NUSPEC_BYTES);
    if (bytes === undefined) return (await this.fetch(source, name, version)).nuspec;
    return readNuspec(bytes.toString('utf8'), url);
  }

  /** The package itself, in the store. @throws EmballageError SOURCE_MISMATCH where it is not what the feed says */
  async fetch(source: ChosenSource, name: string, version: PackageVersion): Promise<FetchedPackage> {
    const file = fileOf(name, version);
    const { http, store } = this.#request;
    const local = source.kind === 'folder' ? this.#localPath(source, name, version) : undefined;
    const url =
      local === undefined
        ? `${(await this.#service(source)).packages}${name.toLowerCase()}/${version.text.toLowerCase()}/${file}`
        : pathToFileURL(local).href;
    const stated = local === undefined ? await this.#statedDigest(source, name, version) : undefined;
    const stored = await store.get({ file, url, credentials: this.credentialsOf(source) }, http);
    const bytes = readFileSync(stored.path);
    const found = createHash('sha512').update(bytes).digest('base64');
    if (stated !== undefined && stated !== found) throw mismatch(url, `SHA-512 ${stated}, as the feed states`, found);
    const { nuspec } = nuspecIn(bytes, file);
    if (nuspec.name.toLowerCase() !== name.toLowerCase() || nuspec.version.text !== version.text)
      throw badPackage(file, `${name} ${version.text}`, printable(`${nuspec.name} ${nuspec.version.text}`));
    const from = local ?? withoutCredentials(url);
    return { ...stored, file, from, source, contentHash: hashOf(bytes, file), nuspec };
  }

  /** Logins for a feed: of its settings, on its own host only; then those of the machine. */
  credentialsOf(source: ChosenSource): Credentials {
    const { credentials, logins } = this.#request;
    const login = logins.get(source.id ?? '');
    if (source.kind === 'folder' || login === undefined) return credentials;
    const { host } = new URL(source.at);
    return {
      authorizationFor: (url) => (url.host === host ? login : undefined) ?? credentials.authorizationFor(url),
    };
  }

  /** A name that a feed is pinned to comes from there alone. */
  #serving(name: string): ChosenSource[] {
    const fits = ({ serves }: ChosenSource): boolean =>
      serves?.some((pattern) => picomatch(pattern, { nocase: true })(name)) ?? false;
    const pinned = this.#sources.filter(fits);
    return pinned.length > 0 ? pinned : this.#sources.filter(({ serves }) => serves === undefined);
  }

  async #versionsAt(source: ChosenSource, name: string): Promise<PackageVersion[]> {
    const id = name.toLowerCase();
    if (source.kind === 'folder') {
      const found = [...this.#folder(source).keys()].filter((key) => key.startsWith(`${id}/`));
      return found.flatMap((key) => parseVersion(key.slice(id.length + 1)) ?? []);
    }
    const url = `${(await this.#service(source)).packages}${id}/index.json`;
    const read = await this.#json(source, url);
    if (read === undefined) return [];
    const versions = isObject(read) ? read.versions : undefined;
    if (!Array.isArray(versions) || versions.length > MOST_VERSIONS)
      throw badAnswer(url, 'a list of `versions`', 'none, or one without end');
    return versions.flatMap((one) => (typeof one === 'string' ? (parseVersion(one) ?? []) : []));
  }

  /** SHA-512 in base 64, where the feed's catalogue has it. */
  async #statedDigest(source: ChosenSource, name: string, version: PackageVersion): Promise<string | undefined> {
    const { registrations } = await this.#service(source);
    if (registrations === undefined) return undefined;
    const leaf = await this.#json(source, `${registrations}${name.toLowerCase()}/${version.text.toLowerCase()}.json`);
    const entry = isObject(leaf) ? leaf.catalogEntry : undefined;
    const facts = typeof entry === 'string' ? await this.#json(source, entry) : entry;
    if (!isObject(facts) || typeof facts.packageHash !== 'string') return undefined;
    const algorithm = facts.packageHashAlgorithm;
    return algorithm === undefined || algorithm === 'SHA512' ? facts.packageHash : undefined;
  }

  #service(source: ChosenSource): Promise<Service> {
    const known = this.#services.get(source.at) ?? this.#readService(source);
    this.#services.set(source.at, known);
    return known;
  }

  async #readService(source: ChosenSource): Promise<Service> {
    const url = /\.json$/i.test(source.at) ? source.at : `${source.at.replace(/\/+$/, '')}/index.json`;
    const read = await this.#json(source, url);
    const resources = isObject(read) && Array.isArray(read.resources) ? read.resources : undefined;
    if (resources === undefined)
      throw badAnswer(
        url,
        'a service index of version 3, with `resources`',
        read === undefined ? 'nothing there' : 'something else',
      );
    const addressOf = (type: string): string | undefined => {
      const found: unknown = resources.find(
        (one) => isObject(one) && [one['@type']].flat().includes(type) && typeof one['@id'] === 'string',
      );
      const address = isObject(found) ? String(found['@id']) : '';
      return /^https?:\/\//.test(address) ? `${address.replace(/\/+$/, '')}/` : undefined;
    };
    const packages = addressOf('PackageBaseAddress/3.0.0');
    const registrations = REGISTRATIONS.map(addressOf).find((one) => one !== undefined);
    if (packages === undefined) throw badAnswer(url, 'an address of packages (`PackageBaseAddress/3.0.0`)', 'none');
    return { packages, ...(registrations !== undefined && { registrations }) };
  }

  async #json(source: ChosenSource, url: string): Promise<unknown> {
    const bytes = await this.#document(source, url, MOST_JSON_BYTES);
    if (bytes === undefined) return undefined;
    try {
      return JSON.parse(bytes.toString('utf8').replace(/^\uFEFF/, ''));
    } catch {
      throw badAnswer(url, 'JSON', /^\s*</.test(bytes.toString('latin1', 0, 200)) ? 'a web page' : 'something else');
    }
  }

  async #document(source: ChosenSource, url: string, maxBytes: number): Promise<Buffer | undefined> {
    if (!/^https?:\/\//.test(url)) throw badAnswer(source.at, 'addresses of HTTP', printable(url));
    const doing = `asking for ${printable(url.slice(url.lastIndexOf('/') + 1))}`;
    const answer = await this.#request.http.fetch({ url, maxBytes, doing, credentials: this.credentialsOf(source) });
    return answer === NOT_FOUND ? undefined : answer.bytes;
  }

  #localBytes(source: ChosenSource, name: string, version: PackageVersion): Buffer {
    return readFileSync(this.#localPath(source, name, version));
  }

  #localPath(source: ChosenSource, name: string, version: PackageVersion): string {
    const path = this.#folder(source).get(`${name.toLowerCase()}/${version.text.toLowerCase()}`);
    if (path === undefined) throw badAnswer(source.at, fileOf(name, version), 'no such file');
    return path;
  }

  /** Paths by `name/version`: side by side, or each in a folder of its name and one of its version. */
  #folder({ at }: ChosenSource): ReadonlyMap<string, string> {
    const known = this.#folders.get(at);
    if (known !== undefined) return known;
    const found = new Map<string, string>();
    for (const path of packagesBelow(at, 2)) {
      const { nuspec } = nuspecIn(readFileSync(path), path.slice(at.length + 1));
      found.set(`${nuspec.name.toLowerCase()}/${nuspec.version.text.toLowerCase()}`, path);
    }
    this.#folders.set(at, found);
    return found;
  }
}

function hashOf(bytes: Buffer, file: string): string {
  try {
    return contentHash(bytes);
  } catch (error) {
    if (error instanceof RangeError) throw badPackage(file, 'a sound archive', error.message);
    throw error;
  }
}

function packagesBelow(folder: string, depth: number): string[] {
  if (!existsSync(folder)) return [];
  return readdirSync(folder, { withFileTypes: true })
    .sort((a, b) => (a.name < b.name ? -1 : 1))
    .flatMap((one) => {
      const path = join(folder, one.name);
      if (one.isDirectory()) return depth > 0 ? packagesBelow(path, depth - 1) : [];
      return /\.nupkg$/i.test(one.name) && !/\.symbols\.nupkg$/i.test(one.name) ? [path] : [];
    });
}

/** As it is called at feeds. */
export function fileOf(name: string, version: Pick<PackageVersion, 'text'>): string {
  return `${name.toLowerCase()}.${version.text.toLowerCase()}.nupkg`;
}

/** The error for a feed that answers other than the protocol says. */
export function mismatch(where: string, expected: string, found: string): EmballageError {
  return new EmballageError('SOURCE_MISMATCH', {
    doing: 'verifying what a feed gave',
    where: printable(/^https?:/.test(where) ? withoutCredentials(where) : where),
    expected,
    found,
    mend: 'ask whoever runs the feed',
  });
}

function isObject(value: unknown): value is Readonly<Record<string, unknown>> {
  return typeof value === 'object' && value !== null && !Array.isArray(value);
}

function badAnswer(where: string, expected: string, found: string): EmballageError {
  return new EmballageError('SOURCE_INVALID', {
    doing: 'asking a feed',
    where: printable(/^https?:/.test(where) ? withoutCredentials(where) : where),
    expected,
    found,
    mend: 'check the address of the feed in `sources`: it is that of its service index',
  });
}
