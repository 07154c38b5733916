/** HTTP requests as events, and answers as HTTP responses: how a function that is served can be called with any client. */
import type { IncomingMessage, ServerResponse } from 'node:http';
import { parseExact } from './exact-json';
import { toCloudEvent, type CloudEvent } from './event';
import type { Answer } from './process';

/** What kind of function is served: one that takes events, or one whose adapter takes requests. */
export type Served = 'events' | 'requests';

const MAX_BODY_BYTES = 16 * 1024 * 1024;
/** Headers that belong to a connection and not to what it carries (RFC 9110 7.6.1). */
const OF_CONNECTION = new Set([
  'connection',
  'keep-alive',
  'transfer-encoding',
  'upgrade',
  'te',
  'trailer',
  'content-length',
]);

/** The body of a request; undefined when it is too large. */
export async function readBody(request: IncomingMessage): Promise<Buffer | undefined> {
  const chunks: Buffer[] = [];
  let length = 0;
  for await (const chunk of request as AsyncIterable<Buffer>) {
    if ((length += chunk.length) > MAX_BODY_BYTES) return undefined;
    chunks.push(chunk);
  }
  return Buffer.concat(chunks);
}

/**
 * The event of a request.
 * @param time now, RFC 3339
 * @throws EmballageError EVENT_INVALID
 */
export function eventOf(request: IncomingMessage, body: Buffer, served: Served, time: string): CloudEvent {
  const { pathname, search } = new URL(request.url ?? '/', 'http://loopback');
  const shown = `${request.method ?? 'GET'} ${pathname}`;
  if (served === 'requests') return toCloudEvent(requestData(request, body, { pathname, search }), shown, time);
  const type = request.headers['content-type'] ?? '';
  const value = valueOf(body, type, search);
  const attributes = binaryAttributes(request);
  // CloudEvents, HTTP binding 3.1: attributes in headers, data in the body.
  if (attributes !== undefined) return toCloudEvent({ ...attributes, data: value }, shown, time);
  return toCloudEvent(value, shown, time);
}

function valueOf(body: Buffer, type: string, search: string): unknown {
  if (body.length === 0) return Object.fromEntries(new URLSearchParams(search));
  const text = body.toString('utf8');
  // What looks like JSON is JSON, since clients on a command line seldom say so.
  if (/\bjson\b/.test(type) || /^\s*[[{"]/.test(text)) return parseExact(text);
  return text;
}

function binaryAttributes({ headers }: IncomingMessage): Record<string, string> | undefined {
  if (headers['ce-specversion'] === undefined) return undefined;
  const found: Record<string, string> = {};
  for (const [name, value] of Object.entries(headers))
    if (name.startsWith('ce-') && typeof value === 'string')
      found[name.slice('ce-'.length)] = decodeURIComponent(value);
  return found;
}

/** A request as adapters take it. */
function requestData(
  { method, headers, httpVersion: _version }: IncomingMessage,
  body: Buffer,
  { pathname, search }: { readonly pathname: string; readonly search: string },
): object {
  const text = body.toString('utf8');
  const isText = Buffer.from(text).equals(body);
  return {
    method: method ?? 'GET',
    path: pathname,
    query: search.slice(1),
    headers: Object.fromEntries(Object.entries(headers).filter(([name]) => !OF_CONNECTION.has(name))),
    ...(isText ? { body: text } : { 'body-base64': body.toString('base64') }),
  };
}

/** @returns the status that was sent */
export function sendAnswer(response: ServerResponse, answer: Answer, served: Served): number {
  if (answer.kind === 'failed') {
    const { failure } = answer;
    const told = 'message' in failure ? { error: failure.name, message: failure.message } : { error: failure.kind };
    return send(response, 500, { 'content-type': 'application/json' }, JSON.stringify(told));
  }
  if (served === 'events') return send(response, 200, { 'content-type': 'application/json' }, answer.json);
  const { status, headers, body, 'body-base64': encoded } = JSON.parse(answer.json) as AdapterAnswer;
  const bytes = encoded === undefined ? Buffer.from(body ?? '') : Buffer.from(encoded, 'base64');
  return send(response, status, headers, bytes);
}

interface AdapterAnswer {
  readonly status: number;
  readonly headers: Readonly<Record<string, string | string[]>>;
  readonly body?: string;
  readonly 'body-base64'?: string;
}

function send(
  response: ServerResponse,
  status: number,
  headers: Readonly<Record<string, string | string[]>>,
  body: string | Buffer,
): number {
  const kept = Object.entries(headers).filter(([name]) => !OF_CONNECTION.has(name));
  response.writeHead(status, { ...Object.fromEntries(kept), 'content-length': Buffer.byteLength(body) }).end(body);
  return status;
}
