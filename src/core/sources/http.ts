/** HTTP for package sources: bounded, retried, redirected only to where it is safe, and cached as RFC 9111 says. */
import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import CachePolicy from 'http-cache-semantics';
import { EmballageError, type ErrorCode } from '../base/errors';
import { printable } from '../base/text';
import { formatSize } from '../base/units';
import { contentDigest } from '../disk/digest';
import { writeWhole } from '../disk/write';
import { withoutCredentials, type Credentials } from '../toolchains/credentials';
import { ask, drain, isTransient, NetworkFault, transientFault, withRetries } from './attempts';
import type { Network, NetworkResponse, Way } from './network';

export interface HttpOptions {
  /** Undefined for `--offline`: then only what is cached is given. */
  readonly network: Network | undefined;
  readonly credentials: Credentials;
  /** Absolute path of the folder for cached answers. */
  readonly cacheFolder: string;
  readonly way?: Way;
}

export interface Fetched {
  readonly bytes: Buffer;
  readonly contentType: string;
  /** Where it came from in the end, after redirects. */
  readonly url: string;
}

export interface FetchRequest {
  readonly url: string;
  readonly accept?: string;
  readonly maxBytes: number;
  /** What is being done, for messages. */
  readonly doing: string;
  /** Logins for this request; those of the client otherwise. */
  readonly credentials?: Credentials;
}

interface CachedAnswer {
  readonly policy: CachePolicy.CachePolicyObject;
  readonly sha256: string;
  readonly contentType: string;
  readonly url: string;
}

const ATTEMPTS = 4;
const MAX_REDIRECTS = 5;

/** An answer that is not there; the caller decides what that means. */
export const NOT_FOUND = 'not-found';

export class HttpClient {
  readonly #options: HttpOptions;
  readonly #fetched: Map<string, Promise<Fetched | typeof NOT_FOUND>>;

  constructor(options: HttpOptions, fetched = new Map<string, Promise<Fetched | typeof NOT_FOUND>>()) {
    this.#options = options;
    this.#fetched = fetched;
  }

  /** The same client, for hosts that are reached with other logins or in another way. */
  with(access: { readonly credentials?: Credentials; readonly way?: Way }): HttpClient {
    return new HttpClient({ ...this.#options, ...access }, this.#fetched);
  }

  get isOffline(): boolean {
    return this.#options.network === undefined;
  }

  /** A document, from the cache where that may be used. In one run each document is asked for once. */
  fetch(request: FetchRequest): Promise<Fetched | typeof NOT_FOUND> {
    const key = this.#path(request);
    const known = this.#fetched.get(key) ?? this.#fetch(request);
    this.#fetched.set(key, known);
    return known;
  }

  async #fetch(request: FetchRequest): Promise<Fetched | typeof NOT_FOUND> {
    const cached = this.#readCache(request);
    const asked = { url: request.url, method: 'GET', headers: headersFor(request) };
    if (this.isOffline) {
      if (cached !== undefined) return cached.fetched;
      throw offline(request);
    }
    if (cached?.policy.satisfiesWithoutRevalidation(asked) === true) return cached.fetched;
    const headers = cached === undefined ? asked.headers : plainHeaders(cached.policy.revalidationHeaders(asked));
    return this.#withRetries(request, async () => {
      const { response, url } = await this.#follow(request, headers);
      if (response.status === 304 && cached !== undefined) {
        await drain(response);
        const { policy } = cached.policy.revalidatedPolicy(asked, response);
        this.#writeCache(request, cached.fetched, policy);
        return cached.fetched;
      }
      if (response.status !== 200) await drain(response);
      if (response.status === 404 || response.status === 410) return NOT_FOUND;
      if (response.status !== 200) throw refused(request, response.status);
      const bytes = await collectBody(request, response);
      const fetched = { bytes, contentType: response.headers['content-type'] ?? '', url: withoutCredentials(url) };
      const policy = new CachePolicy(asked, response, { shared: false });
      if (policy.storable()) this.#writeCache(request, fetched, policy);
      return fetched;
    });
  }

  /** The last bytes of a file; undefined where the server gives no ranges. */
  async fetchTail(request: FetchRequest, length: number): Promise<{ bytes: Buffer; size: number } | undefined> {
    if (this.isOffline) throw offline(request);
    return this.#withRetries(request, async () => {
      const headers = { ...headersFor(request), range: `bytes=-${String(length)}`, 'accept-encoding': 'identity' };
      const { response } = await this.#follow(request, headers);
      const [, size] = /^bytes \d+-\d+\/(\d+)$/.exec(response.headers['content-range'] ?? '') ?? [];
      if (response.status !== 206 || size === undefined) {
        await drain(response);
        return undefined;
      }
      return { bytes: await collectBody({ ...request, maxBytes: length }, response), size: Number(size) };
    });
  }

  /** Streams a file into `take`, which is asked anew for each attempt. Never cached: the package store keeps files. */
  async download(
    request: FetchRequest,
    begin: () => { take(chunk: Uint8Array): void; abandon(): void },
  ): Promise<void> {
    if (this.isOffline) throw offline(request);
    await this.#withRetries(request, async () => {
      const { response } = await this.#follow(request, { ...headersFor(request), 'accept-encoding': 'identity' });
      if (response.status !== 200) {
        await drain(response);
        throw refused(request, response.status);
      }
      const sink = begin();
      try {
        for await (const chunk of boundedBody(request, response)) sink.take(chunk);
      } catch (error) {
        sink.abandon();
        throw error;
      }
    });
  }

  async #withRetries<T>(request: FetchRequest, attempt: () => Promise<T>): Promise<T> {
    const { network } = this.#options;
    if (network === undefined) throw offline(request);
    return withRetries(
      { network, attempts: ATTEMPTS, onGivenUp: (fault, tries) => unreachable(request, fault, tries) },
      attempt,
    );
  }

  /** Follows redirects, but never to another scheme than HTTPS from HTTPS, and without credentials to another host. */
  async #follow(
    request: FetchRequest,
    headers: Readonly<Record<string, string>>,
  ): Promise<{ response: NetworkResponse; url: string }> {
    const { network, way } = this.#options;
    const credentials = request.credentials ?? this.#options.credentials;
    if (network === undefined) throw offline(request);
    let url = new URL(request.url);
    for (let hop = 0; hop <= MAX_REDIRECTS; hop++) {
      const authorization = credentials.authorizationFor(url);
      const response = await ask(network, {
        url: withoutCredentials(url.href),
        headers: { ...headers, ...(authorization !== undefined && { authorization }) },
        ...(way !== undefined && { way }),
      });
      const { location } = response.headers;
      if (response.status < 300 || response.status > 399 || response.status === 304 || location === undefined) {
        if (!isTransient(response.status)) return { response, url: url.href };
        throw await transientFault(response);
      }
      await drain(response);
      const next = URL.canParse(location, url.href) ? new URL(location, url) : undefined;
      if (next === undefined) throw wrong('SOURCE_REFUSED', request, 'a redirect to an address', 'one to none');
      if (next.protocol !== url.protocol && next.protocol !== 'https:')
        throw wrong(
          'SOURCE_REFUSED',
          request,
          'a redirect that stays with HTTPS',
          `one to ${next.protocol}//${next.host}`,
        );
      url = next;
    }
    throw wrong('SOURCE_REFUSED', request, `at most ${String(MAX_REDIRECTS)} redirects`, 'more than that');
  }

  #path(request: FetchRequest): string {
    const key = createHash('sha256')
      .update(`${request.url}\n${request.accept ?? ''}`)
      .digest('hex');
    return join(this.#options.cacheFolder, key);
  }

  #readCache(request: FetchRequest): { policy: CachePolicy; fetched: Fetched } | undefined {
    try {
      const path = this.#path(request);
      const head = JSON.parse(readFileSync(`${path}.json`, 'utf8')) as CachedAnswer;
      const bytes = readFileSync(path);
      if (contentDigest(bytes) !== head.sha256) return undefined;
      return {
        policy: CachePolicy.fromObject(head.policy),
        fetched: { bytes, contentType: head.contentType, url: head.url },
      };
    } catch {
      // Not there, or not whole: fetched again.
      return undefined;
    }
  }

  #writeCache(request: FetchRequest, fetched: Fetched, policy: CachePolicy): void {
    const path = this.#path(request);
    const sha256 = createHash('sha256').update(fetched.bytes).digest('hex');
    const head: CachedAnswer = {
      policy: policy.toObject(),
      sha256,
      contentType: fetched.contentType,
      url: fetched.url,
    };
    writeWhole(path, fetched.bytes, path);
    writeWhole(`${path}.json`, JSON.stringify(head), path);
  }
}

function headersFor(request: FetchRequest): Record<string, string> {
  return { accept: request.accept ?? '*/*', 'accept-encoding': 'gzip', 'user-agent': 'emballage' };
}

function plainHeaders(headers: CachePolicy.Headers): Record<string, string> {
  return Object.fromEntries(
    Object.entries(headers).flatMap(([name, value]) => (value === undefined ? [] : [[name, String(value)]])),
  );
}

async function collectBody(request: FetchRequest, response: NetworkResponse): Promise<Buffer> {
  const chunks: Uint8Array[] = [];
  for await (const chunk of boundedBody(request, response)) chunks.push(chunk);
  return Buffer.concat(chunks);
}

/** The body, which must be as long as announced and no longer than allowed. */
async function* boundedBody(request: FetchRequest, response: NetworkResponse): AsyncGenerator<Uint8Array> {
  const announced = response.headers['content-encoding'] === undefined ? response.headers['content-length'] : undefined;
  const tooBig = (): EmballageError =>
    wrong('SOURCE_REFUSED', request, `at most ${formatSize(request.maxBytes)}`, 'more than that');
  if (Number(announced ?? 0) > request.maxBytes) throw tooBig();
  let length = 0;
  const brokeOff = (cause?: unknown): NetworkFault =>
    new NetworkFault(`the answer broke off after ${String(length)} of ${announced ?? 'unknown'} bytes`, { cause });
  try {
    for await (const chunk of response.body) {
      length += chunk.length;
      if (length > request.maxBytes) throw tooBig();
      yield chunk;
    }
  } catch (error) {
    throw error instanceof NetworkFault && !error.isSlow ? brokeOff(error) : error;
  }
  if (announced !== undefined && Number(announced) !== length) throw brokeOff();
}

function factsOf(request: FetchRequest, expected: string, found: string, mend: string) {
  return { doing: request.doing, where: printable(withoutCredentials(request.url)), expected, found, mend };
}

function wrong(code: ErrorCode, request: FetchRequest, expected: string, found: string): EmballageError {
  return new EmballageError(
    code,
    factsOf(request, expected, found, 'check the address of the source, or ask who runs it'),
  );
}

function refused(request: FetchRequest, status: number): EmballageError {
  const unknown = status === 401 || status === 403;
  const mend = unknown ? 'put a login for the host into ~/.netrc' : 'check the address of the source';
  return new EmballageError('SOURCE_REFUSED', factsOf(request, 'status 200', `status ${String(status)}`, mend));
}

function offline(request: FetchRequest): EmballageError {
  return new EmballageError(
    'SOURCE_OFFLINE',
    factsOf(
      request,
      'it in the store, since the network is not to be used',
      'it not there',
      'run it once without --offline',
    ),
  );
}

function unreachable(request: FetchRequest, fault: NetworkFault, tries: number): EmballageError {
  const expected = tries === 1 ? 'an answer' : `an answer in ${String(tries)} attempts`;
  const mend = 'check the network and the address, then try again';
  return new EmballageError('SOURCE_UNREACHABLE', factsOf(request, expected, printable(fault.message), mend), fault);
}
