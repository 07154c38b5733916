/**
 * Requests to who takes deliveries: with a login for its own host only, repeated where the network failed at what may be
 * repeated, redirected without the login to elsewhere (RFC 9110; digests of content by RFC 9530).
 */
import { createHash } from 'node:crypto';
import { EmballageError } from '../../base/errors';
import { printable } from '../../base/text';
import { formatSize } from '../../base/units';
import { ask, drain, isTransient, NetworkFault, transientFault, withRetries } from '../attempts';
import type { Network, NetworkRequest, NetworkResponse, RequestBody } from '../network';

export interface ExchangeOptions {
  /** Undefined for `--offline`. */
  readonly network: Network | undefined;
  /** Value of the Authorization header for an address of the host that is delivered to. */
  readonly authorizationFor: (url: URL) => string | undefined;
  /** Where the login comes from, for messages. */
  readonly login: string;
}

export interface ExchangeRequest {
  readonly url: string;
  readonly method?: NetworkRequest['method'];
  readonly headers?: Readonly<Record<string, string>>;
  readonly body?: RequestBody;
  /** What is being done, for messages. */
  readonly doing: string;
  /** Statuses that are answers; any other becomes an error. */
  readonly expects: readonly number[];
  /** Whether it must not be sent again by itself. */
  readonly once?: boolean;
}

const ATTEMPTS = 4;
const MAX_REDIRECTS = 5;
const MAX_SMALL_BYTES = 1024 * 1024;
/** Insufficient Storage (RFC 4918, 11.5). */
const NO_ROOM = 507;

export class Exchange {
  readonly #options: ExchangeOptions;

  constructor(options: ExchangeOptions) {
    this.#options = options;
  }

  /** @throws EmballageError DELIVERY_UNREACHABLE, DELIVERY_REFUSED */
  async send(request: ExchangeRequest): Promise<NetworkResponse> {
    const { network } = this.#options;
    if (network === undefined) throw offline(request);
    const attempts = request.once === true ? 1 : ATTEMPTS;
    const onGivenUp = (fault: NetworkFault, made: number): EmballageError => unreachable(request, fault, made);
    const response = await withRetries({ network, attempts, onGivenUp }, async () => {
      const answer = await this.#follow(network, request);
      // No room is not better in a moment.
      if (isTransient(answer.status) && answer.status !== NO_ROOM && !request.expects.includes(answer.status))
        throw await transientFault(answer);
      return answer;
    });
    if (request.expects.includes(response.status)) return response;
    throw await this.#refused(request, response);
  }

  /** A body that is small, whole. */
  async small(response: NetworkResponse, doing: string, url: string, maxBytes = MAX_SMALL_BYTES): Promise<Buffer> {
    const pieces: Uint8Array[] = [];
    let length = 0;
    try {
      for await (const piece of response.body) {
        length += piece.length;
        if (length > maxBytes) throw bad(doing, url, `at most ${formatSize(maxBytes)}`, 'more');
        pieces.push(piece);
      }
    } catch (error) {
      if (error instanceof NetworkFault)
        throw bad(doing, url, 'a whole answer', `one that broke off: ${error.message}`, error);
      throw error;
    }
    return Buffer.concat(pieces);
  }

  /** Redirects keep the method where they say so (RFC 9110, 15.4.8 and 15.4.9); the login stays with its own host. */
  async #follow(network: Network, request: ExchangeRequest): Promise<NetworkResponse> {
    const { method, body, headers = {} } = request;
    let url = new URL(request.url);
    const own = url.origin;
    for (let i = 0; ; i++) {
      const login = url.origin === own ? this.#options.authorizationFor(url) : undefined;
      const address = new URL(url);
      address.username = address.password = '';
      const response = await ask(network, {
        url: address.href,
        headers: { ...headers, ...(login !== undefined && { authorization: login }) },
        ...(method !== undefined && { method }),
        ...(body !== undefined && { body }),
      });
      if (request.expects.includes(response.status) || !isRedirect(response, method)) return response;
      await drain(response);
      if (i >= MAX_REDIRECTS) throw bad(request.doing, request.url, 'an answer', 'redirects without an end');
      url = redirected(request, url, response.headers.location ?? '');
    }
  }

  async #refused(request: ExchangeRequest, response: NetworkResponse): Promise<EmballageError> {
    const { status, headers } = response;
    const text = (await this.small(response, request.doing, request.url).catch(() => Buffer.alloc(0))).toString('utf8');
    const said = saidIn(text, headers['content-type'] ?? '');
    const isLogin = status === 401 || status === 403;
    return new EmballageError('DELIVERY_REFUSED', {
      doing: request.doing,
      where: shownUrl(request.url),
      expected: isLogin ? 'a login that may do that' : `status ${request.expects.map(String).join(' or ')}`,
      found: `status ${String(status)}${said === '' ? '' : `: ${said}`}`,
      mend: isLogin
        ? this.#options.login
        : status === NO_ROOM || status === 413
          ? 'make room there, or raise its limit; nothing was changed'
          : 'ask who runs it, or correct the address in the destination',
    });
  }
}

function isRedirect({ status, headers }: NetworkResponse, method: NetworkRequest['method']): boolean {
  const isRead = method === undefined || method === 'HEAD';
  return (
    headers.location !== undefined && ([307, 308].includes(status) || (isRead && [301, 302, 303].includes(status)))
  );
}

/** Where a redirect leads: never from an encrypted connection to one that is not. */
function redirected(request: ExchangeRequest, from: URL, location: string): URL {
  const next = URL.canParse(location, from.href) ? new URL(location, from) : undefined;
  const isSafe = next !== undefined && (next.protocol === 'https:' || next.protocol === from.protocol);
  if (isSafe) return next;
  throw bad(
    request.doing,
    request.url,
    'an answer',
    next === undefined ? 'a redirect to no address' : `a redirect to ${printable(next.origin)}, without encryption`,
  );
}

/** The message of a problem (RFC 9457), or the first line of a text; nothing of a page. */
function saidIn(text: string, type: string): string {
  if (/\bjson\b/.test(type)) {
    try {
      const { detail, title } = JSON.parse(text) as { detail?: unknown; title?: unknown };
      const said = [title, detail].filter((one) => typeof one === 'string').join(': ');
      return printable(said.slice(0, 2000));
    } catch {
      return '';
    }
  }
  if (/\bhtml\b/.test(type) || /^\s*</.test(text)) return 'a page for people';
  return printable(text.split('\n', 1)[0]?.slice(0, 200) ?? '');
}

/** An address as messages show it: without login, and without what follows the path. */
export function shownUrl(url: string): string {
  return printable(url.replace(/[?#].*$/s, '').replace(/\/\/[^/]*@/, '//'));
}

/** The error for an answer that is not as the protocol has it. */
export function bad(doing: string, url: string, expected: string, found: string, cause?: unknown): EmballageError {
  const mend = 'ask who runs it; nothing that was not verified counts as delivered';
  return new EmballageError('DELIVERY_INVALID', { doing, where: shownUrl(url), expected, found, mend }, cause);
}

function offline(request: ExchangeRequest): EmballageError {
  return new EmballageError('SOURCE_OFFLINE', {
    doing: request.doing,
    where: shownUrl(request.url),
    expected: 'the network',
    found: '`--offline`',
    mend: 'run it without `--offline`',
  });
}

function unreachable(request: ExchangeRequest, fault: NetworkFault, attempts: number): EmballageError {
  return new EmballageError(
    'DELIVERY_UNREACHABLE',
    {
      doing: request.doing,
      where: shownUrl(request.url),
      expected: attempts === 1 ? 'an answer' : `an answer in ${String(attempts)} attempts`,
      found: printable(fault.message),
      mend: 'check the network and the address, then run the command again: what has arrived whole is not sent again',
    },
    fault,
  );
}

/** Value of Content-Digest and Repr-Digest (RFC 9530, 2): `sha-256=:…:`. @param hex SHA-256 */
export function digestField(hex: string): string {
  return `sha-256=:${Buffer.from(hex, 'hex').toString('base64')}:`;
}

/** The SHA-256 that such a field states, in hexadecimal. */
export function statedDigest(field: string | undefined): string | undefined {
  const [, base64] = /(?:^|,)\s*sha-256=:([A-Za-z0-9+/=]+):/.exec(field ?? '') ?? [];
  return base64 === undefined ? undefined : Buffer.from(base64, 'base64').toString('hex');
}

/** SHA-256 and length of a body that is read to nowhere. @throws EmballageError DELIVERY_INVALID where it breaks off */
export async function bodyDigest(
  response: NetworkResponse,
  { doing, url, take }: { readonly doing: string; readonly url: string; readonly take?: (piece: Uint8Array) => void },
  maxBytes: number,
): Promise<{ readonly sha256: string; readonly size: number }> {
  const hash = createHash('sha256');
  let size = 0;
  try {
    for await (const piece of response.body) {
      size += piece.length;
      if (size > maxBytes) throw bad(doing, url, `at most ${formatSize(maxBytes)}`, 'more');
      hash.update(piece);
      take?.(piece);
    }
  } catch (error) {
    if (error instanceof NetworkFault) throw bad(doing, url, 'all of it', `it broke off: ${error.message}`, error);
    throw error;
  }
  return { sha256: hash.digest('hex'), size };
}
