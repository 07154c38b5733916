/** Requests to the stand-in host, and JSON in and out. */
import type { IncomingMessage, ServerResponse } from 'node:http';
import { readBody } from '../host';
import { sendProblem } from './faults';

const MOST_JSON_BYTES = 4 * 1024 * 1024;

/** One request, and what its path names. */
export interface Exchange {
  readonly request: IncomingMessage;
  readonly response: ServerResponse;
  readonly url: URL;
  readonly name: string;
}

/** The JSON of a request, held against a schema; undefined where it was refused, which the sender has been told. */
export async function jsonFrom<T>(
  request: IncomingMessage,
  response: ServerResponse,
  schema: { safeParse(value: unknown): { success: true; data: T } | { success: false; error: { message: string } } },
  parse: (text: string) => unknown = JSON.parse,
): Promise<T | undefined> {
  const body = await readBody(request);
  if (body === undefined || body.length > MOST_JSON_BYTES) {
    sendProblem(response, 413, 'its body is too large');
    return undefined;
  }
  let value: unknown;
  try {
    value = parse(body.toString('utf8'));
  } catch {
    sendProblem(response, 400, 'its body is no JSON');
    return undefined;
  }
  const read = schema.safeParse(value);
  if (read.success) return read.data;
  sendProblem(response, 400, 'not as the protocol has it', read.error.message.slice(0, 500));
  return undefined;
}

/** Answers a request with JSON. */
export function sendJson(response: ServerResponse, status: number, value: object): void {
  response.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(value));
}
