/** The network as a value: the core asks for bytes by URL, and never opens a connection itself. */

/** What is sent. It may be asked for again, when a request is repeated. */
export interface RequestBody {
  /** Bytes. */
  readonly size: number;
  pieces(): Iterable<Uint8Array>;
}

export interface NetworkRequest {
  readonly url: string;
  /** GET otherwise. */
  readonly method?: 'HEAD' | 'POST' | 'PUT' | 'PATCH' | 'DELETE' | 'MKCOL';
  readonly body?: RequestBody;
  /** Names in small letters. What asks for `gzip` with `accept-encoding` gets the body unpacked. */
  readonly headers: Readonly<Record<string, string>>;
  /** How the host is reached, where that is not as for all others. */
  readonly way?: Way;
  /** Ends it at once. */
  readonly signal?: AbortSignal;
}

/** How hosts are reached, by the settings of one ecosystem's client. */
export interface Way {
  /** Certificates of authorities, PEM, that count beside those of the machine. */
  readonly authorities?: readonly string[];
  /** Addresses of proxies, for either scheme of the address that is asked for; those of the environment otherwise. */
  readonly proxies?: { readonly http?: string; readonly https?: string; readonly except?: string };
}

export interface NetworkResponse {
  readonly status: number;
  /** Names in small letters. */
  readonly headers: Readonly<Record<string, string>>;
  readonly body: AsyncIterable<Uint8Array>;
}

/** What the edge provides. Redirects are not followed; a failure to connect or a body that breaks off is thrown. */
export interface Network {
  request(request: NetworkRequest): Promise<NetworkResponse>;
  sleep(ms: number): Promise<void>;
  /** Milliseconds since 1970. */
  now(): number;
}
