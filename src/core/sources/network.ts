/** The network as a value: the core asks for bytes by URL, and never opens a connection itself. */

export interface NetworkRequest {
  readonly url: string;
  /** Names in small letters. */
  readonly headers: Readonly<Record<string, string>>;
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
