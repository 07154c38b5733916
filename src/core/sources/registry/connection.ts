/**
 * One registry: requests with its logins and tokens, repeated when it is busy or cut off, redirected without credentials to
 * elsewhere (OCI distribution specification 1.1; RFC 9110).
 */
import { z } from 'zod';
import { EmballageError } from '../../base/errors';
import { jsonOf } from '../../base/json';
import { printable } from '../../base/text';
import { formatSize } from '../../base/units';
import { ask, drain, isTransient, NetworkFault, pauseBefore, transientFault, withRetries } from '../attempts';
import type { Network, NetworkRequest, NetworkResponse, RequestBody } from '../network';
import type { RegistryLogins } from './auth-file';
import { readChallenges, type Challenge } from './challenge';

export interface RegistryOptions {
  /** `harbour.example:5000`. */
  readonly host: string;
  /** HTTP without encryption although it is not on this machine. */
  readonly plainHttp: boolean;
  /** Undefined for `--offline`. */
  readonly network: Network | undefined;
  readonly logins: RegistryLogins;
}

export interface RegistryRequest {
  readonly method?: NetworkRequest['method'];
  /** Path below the host, or a whole address that the registry gave. */
  readonly at: string;
  readonly headers?: Readonly<Record<string, string>>;
  readonly body?: RequestBody;
  /** What is being done, for messages. */
  readonly doing: string;
  /** The repository and what is wanted there, for tokens: `repository:bases/small:pull`. */
  readonly scope: string;
  /** Statuses that are answers; any other becomes an error. */
  readonly expects: readonly number[];
  /** Whether it must not be sent again by itself: the caller looks at what has arrived first. */
  readonly once?: boolean;
}

const ATTEMPTS = 5;
/** Too Many Requests (RFC 6585, 4). */
const TOO_MUCH = 429;
const MAX_REDIRECTS = 5;
const MAX_SMALL_BYTES = 1024 * 1024;

const tokenAnswer = z.looseObject({ token: z.string().optional(), access_token: z.string().optional() });

export class RegistryConnection {
  readonly host: string;
  readonly #options: RegistryOptions;
  /** Value of the Authorization header by scope. */
  readonly #authorized = new Map<string, string>();

  constructor(options: RegistryOptions) {
    this.host = options.host;
    this.#options = options;
  }

  /** The address of the registry itself. Without encryption only on this machine, or where that was allowed by name. */
  get address(): string {
    const isPlain = this.#options.plainHttp || isLoopback(this.host);
    return `${isPlain ? 'http' : 'https'}://${this.host}`;
  }

  get network(): Network {
    if (this.#options.network !== undefined) return this.#options.network;
    throw new EmballageError('SOURCE_OFFLINE', {
      doing: `asking the registry ${printable(this.host)}`,
      expected: 'what is wanted in the store, since the network is not to be used',
      found: 'it not there',
      mend: 'run it once without --offline',
    });
  }

  /** @throws EmballageError REGISTRY_REFUSED or REGISTRY_UNREACHABLE */
  send(request: RegistryRequest): Promise<NetworkResponse> {
    const onGivenUp = (fault: NetworkFault, attempts: number): EmballageError =>
      this.#unreachable(request, fault.message, attempts, fault);
    return withRetries({ network: this.network, attempts: ATTEMPTS, onGivenUp }, async () => {
      try {
        return await this.#sendOnce(request);
      } catch (error) {
        // What was refused for being too much has not been taken, and may always be sent again.
        const mayRepeat = request.once !== true || (error instanceof NetworkFault && error.status === TOO_MUCH);
        throw error instanceof NetworkFault && !mayRepeat ? onGivenUp(error, 1) : error;
      }
    });
  }

  async #sendOnce(request: RegistryRequest): Promise<NetworkResponse> {
    const response = await this.#authorizedSend(request);
    if (request.expects.includes(response.status)) return response;
    if (!isTransient(response.status)) throw await this.#refused(request, response);
    throw await transientFault(response);
  }

  /** Waits before the next attempt: longer each time. @param attempt counting from 1 */
  pause(attempt: number): Promise<void> {
    return pauseBefore(this.network, attempt);
  }

  /** A small body, whole. @throws EmballageError REGISTRY_INVALID where it is larger, or breaks off */
  async small(response: NetworkResponse, most: number, doing: string): Promise<Buffer> {
    const chunks: Uint8Array[] = [];
    let length = 0;
    try {
      for await (const chunk of response.body) {
        length += chunk.length;
        if (length > most) throw this.bad(doing, `at most ${formatSize(most)}`, 'more than that');
        chunks.push(chunk);
      }
    } catch (error) {
      throw error instanceof NetworkFault ? this.bad(doing, 'a whole answer', printable(error.message), error) : error;
    }
    return Buffer.concat(chunks);
  }

  /** An address that the registry named, whole. */
  resolve(location: string, doing: string): string {
    if (URL.canParse(location, this.address)) return new URL(location, this.address).href;
    throw this.bad(doing, 'an address', `\`${shownAddress(location)}\``);
  }

  bad(doing: string, expected: string, found: string, cause?: unknown): EmballageError {
    const mend = 'ask who runs the registry, or try another';
    return new EmballageError('REGISTRY_INVALID', { doing, where: printable(this.host), expected, found, mend }, cause);
  }

  async #authorizedSend(request: RegistryRequest): Promise<NetworkResponse> {
    const known = this.#authorized.get(request.scope);
    const response = await this.#follow(request, known);
    if (response.status !== 401) return response;
    const challenges = readChallenges(response.headers['www-authenticate'] ?? '');
    await drain(response);
    const authorization = await this.#authorize(request, challenges);
    // A token may have ended; a password that was refused stays refused.
    if (authorization === undefined || authorization === known) throw this.#needsLogin(request);
    this.#authorized.set(request.scope, authorization);
    const again = await this.#follow(request, authorization);
    if (again.status !== 401) return again;
    await drain(again);
    this.#authorized.delete(request.scope);
    throw this.#needsLogin(request);
  }

  async #authorize(request: RegistryRequest, challenges: readonly Challenge[]): Promise<string | undefined> {
    const repository = /^repository:([^:]*):/.exec(request.scope)?.[1] ?? '';
    const login = this.#options.logins.loginFor(this.host, repository);
    const basic =
      login === undefined ? undefined : `Basic ${Buffer.from(`${login.name}:${login.password}`).toString('base64')}`;
    const bearer = challenges.find(({ scheme }) => scheme === 'bearer');
    if (bearer !== undefined) return this.#token(request, bearer, basic);
    return challenges.some(({ scheme }) => scheme === 'basic') ? basic : undefined;
  }

  /** A token from the service that the registry names (the token authentication that registries share). */
  async #token(request: RegistryRequest, { parameters }: Challenge, basic: string | undefined): Promise<string> {
    const { doing } = request;
    const realm = new URL(this.resolve(parameters.realm ?? '', doing));
    this.#refusePlain(realm, doing);
    if (parameters.service !== undefined) realm.searchParams.set('service', parameters.service);
    for (const scope of request.scope.split(' ')) if (scope !== '') realm.searchParams.append('scope', scope);
    const response = await ask(this.network, {
      url: realm.href,
      headers: { accept: 'application/json', ...(basic !== undefined && { authorization: basic }) },
    });
    if (response.status !== 200) await drain(response);
    if (response.status === 401 || response.status === 403) throw this.#needsLogin(request);
    if (response.status !== 200)
      throw this.bad(doing, 'a token', `status ${String(response.status)} from ${printable(realm.host)}`);
    const bytes = await this.small(response, MAX_SMALL_BYTES, doing);
    const read = tokenAnswer.safeParse(jsonOf(bytes.toString('utf8')));
    const token = read.success ? (read.data.token ?? read.data.access_token) : undefined;
    if (token === undefined || !/^[\u0021-\u007e]+$/.test(token))
      throw this.bad(doing, 'a token', `an answer of ${printable(realm.host)} without one`);
    return `Bearer ${token}`;
  }

  /** Follows redirects of what only reads; credentials stay with the registry. */
  async #follow(request: RegistryRequest, authorization: string | undefined): Promise<NetworkResponse> {
    let url = new URL(request.at, this.address);
    for (let hop = 0; hop <= MAX_REDIRECTS; hop++) {
      this.#refusePlain(url, request.doing);
      const isOwn = url.origin === new URL(this.address).origin;
      const { method, body } = request;
      const response = await ask(this.network, {
        url: url.href,
        headers: {
          'user-agent': 'emballage',
          ...request.headers,
          ...(isOwn && authorization !== undefined && { authorization }),
        },
        ...(method !== undefined && { method }),
        ...(body !== undefined && { body }),
      });
      const { location } = response.headers;
      const isRedirect = [301, 302, 303, 307, 308].includes(response.status) && location !== undefined;
      if (!isRedirect) return response;
      if (method !== undefined && method !== 'HEAD')
        throw this.bad(request.doing, 'no redirect of what is sent', `one to ${shownAddress(location)}`);
      await drain(response);
      url = new URL(
        this.resolve(URL.canParse(location, url.href) ? new URL(location, url).href : location, request.doing),
      );
    }
    throw this.bad(request.doing, `at most ${String(MAX_REDIRECTS)} redirects`, 'more than that');
  }

  #refusePlain(url: URL, doing: string): void {
    if (url.protocol === 'https:') return;
    const isAllowed = isLoopback(url.host) || (this.#options.plainHttp && url.host === this.host);
    if (url.protocol === 'http:' && isAllowed) return;
    throw this.bad(doing, 'addresses with encryption (https)', `${printable(url.protocol)}//${printable(url.host)}`);
  }

  #needsLogin({ doing, scope }: RegistryRequest): EmballageError {
    const [, , wanted = ''] = scope.split(':');
    return new EmballageError('REGISTRY_REFUSED', {
      doing,
      where: printable(this.host),
      expected: `a login that may ${wanted.includes('push') ? 'send there' : wanted.includes('delete') ? 'delete there' : 'read there'}`,
      found: 'none, or one that it does not take',
      mend: 'log in with any tool that writes the auth file that engines share; REGISTRY_AUTH_FILE names another',
    });
  }

  async #refused(request: RegistryRequest, response: NetworkResponse): Promise<EmballageError> {
    const said = await this.small(response, MAX_SMALL_BYTES, request.doing).then(
      (bytes) => errorsIn(bytes),
      () => '',
    );
    const isMissing = response.status === 404;
    return new EmballageError('REGISTRY_REFUSED', {
      doing: request.doing,
      where: printable(this.host),
      expected: `status ${request.expects.map(String).join(' or ')}`,
      found: `status ${String(response.status)}${said === '' ? '' : `: ${printable(said)}`}`,
      mend: isMissing ? 'check the name, the tag and the registry' : 'ask who runs the registry',
    });
  }

  #unreachable(request: RegistryRequest, found: string, attempts: number, cause?: unknown): EmballageError {
    return new EmballageError(
      'REGISTRY_UNREACHABLE',
      {
        doing: request.doing,
        where: printable(this.host),
        expected: attempts === 1 ? 'an answer' : `an answer in ${String(attempts)} attempts`,
        found: printable(found),
        mend: 'check the network and the address, then run the command again: what has arrived whole is not sent again',
      },
      cause,
    );
  }
}

/** Whether a host is this machine (RFC 1122 3.2.1.3, RFC 4291 2.5.3, RFC 6761 6.3). */
export function isLoopback(host: string): boolean {
  return /^(?:localhost|127(?:\.\d{1,3}){3}|\[::1\])(?::\d+)?$/.test(host);
}

/** An address as messages show it: neither logins nor what follows the path, which may be a key too. */
function shownAddress(location: string): string {
  return printable(location.replace(/[?#].*$/s, '').replace(/\/\/[^/]*@/, '//'));
}

const errorList = z.looseObject({
  errors: z.array(z.looseObject({ code: z.string(), message: z.string().optional() })),
});

/** `NAME_UNKNOWN: repository name not known` (distribution-spec, "Error Codes"). */
function errorsIn(bytes: Buffer): string {
  const read = errorList.safeParse(jsonOf(bytes.toString('utf8')));
  if (!read.success) return '';
  return read.data.errors.map(({ code, message }) => (message === undefined ? code : `${code}: ${message}`)).join('; ');
}
