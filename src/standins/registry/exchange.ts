/** A request to the stand-in registry and its answer. */
import type { IncomingMessage, ServerResponse } from 'node:http';
import type { FaultState } from './faults';
import type { RegistryStore } from './store';

/** One request, with what answering it takes. */
export interface Exchange {
  readonly request: IncomingMessage;
  readonly response: ServerResponse;
  readonly url: URL;
  readonly store: RegistryStore;
  readonly faults: FaultState;
}

/** Answers a request. @param type media type */
export function send(response: ServerResponse, status: number, type: string, text: string): void {
  response.writeHead(status, { 'content-type': type, 'content-length': Buffer.byteLength(text) }).end(text);
}

/** An error as the standard writes it ("Error Codes"). */
export function fail(response: ServerResponse, status: number, code: string, message: string): void {
  send(response, status, 'application/json', JSON.stringify({ errors: [{ code, message }] }));
}
