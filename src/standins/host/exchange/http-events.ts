/** HTTP requests as events, and answers as HTTP responses: how a function that is served can be called with any client. */
import { percentDecoded } from '../../../core/base/text';
import type { IncomingMessage, ServerResponse } from 'node:http';
import {
  NoResponse,
  parseExact,
  readResponse,
  toCloudEvent,
  valuesByName,
  writeRequest,
  type CloudEvent,
  type Shape,
  type WebResponse,
} from '../../../core/events';
import type { Answer } from './answer';
import { carried, carriedBy } from './headers';

const MAX_BODY_BYTES = 16 * 1024 * 1024;

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
 * @param shape of requests, for a function that takes those; undefined for one that takes events
 * @param time now, RFC 3339
 * @throws EmballageError EVENT_INVALID
 */
export function eventOf(request: IncomingMessage, body: Buffer, shape: Shape | undefined, time: string): CloudEvent {
  const [, path = '/', query = ''] = /^([^?#]*)\??([^#]*)/.exec(request.url ?? '/') ?? [];
  const shown = `${request.method ?? 'GET'} ${path}`;
  if (shape !== undefined) return toCloudEvent(requestData(request, body, shape, { path, query }), shown, time);
  const type = request.headers['content-type'] ?? '';
  const value = valueOf(body, type, query);
  const attributes = binaryAttributes(request);
  // CloudEvents, HTTP binding 3.1: attributes in headers, data in the body.
  if (attributes !== undefined) return toCloudEvent({ ...attributes, data: value }, shown, time);
  return toCloudEvent(value, shown, time);
}

function valueOf(body: Buffer, type: string, query: string): unknown {
  if (body.length === 0) return Object.fromEntries(new URLSearchParams(query));
  const text = body.toString('utf8');
  // What looks like JSON is JSON, since clients on a command line seldom say so.
  if (/\bjson\b/.test(type) || /^\s*[[{"]/.test(text)) return parseExact(text);
  return text;
}

function binaryAttributes({ headers }: IncomingMessage): Record<string, string> | undefined {
  if (headers['ce-specversion'] === undefined) return undefined;
  const found: Record<string, string> = {};
  for (const [name, value] of Object.entries(headers))
    if (name.startsWith('ce-') && typeof value === 'string') found[name.slice('ce-'.length)] = percentDecoded(value);
  return found;
}

/** A request as adapters take it. */
function requestData(
  { method, rawHeaders, socket }: IncomingMessage,
  body: Buffer,
  shape: Shape,
  { path, query }: { readonly path: string; readonly query: string },
): object {
  return writeRequest(shape, {
    method: method ?? 'GET',
    path,
    query,
    body,
    scheme: 'http',
    remote: socket.remoteAddress ?? '',
    headers: carriedBy(rawHeaders),
  });
}

/** @returns the status that was sent */
export function sendAnswer(response: ServerResponse, answer: Answer, shape: Shape | undefined): number {
  if (answer.kind === 'failed') {
    const { failure } = answer;
    const result = 'message' in failure ? { error: failure.name, message: failure.message } : { error: failure.kind };
    return sendJson(response, 500, JSON.stringify(result));
  }
  if (shape === undefined) return sendJson(response, 200, answer.json);
  try {
    return send(response, readResponse(shape, JSON.parse(answer.json)));
  } catch (error) {
    if (!(error instanceof NoResponse)) throw error;
    return sendJson(response, 502, JSON.stringify({ error: 'the answer is no response', message: error.message }));
  }
}

function sendJson(response: ServerResponse, status: number, json: string): number {
  return send(response, { status, headers: [['content-type', 'application/json']], body: Buffer.from(json) });
}

function send(response: ServerResponse, { status, headers, body }: WebResponse): number {
  const length = status === 204 || status === 304 ? {} : { 'content-length': body.length };
  response.writeHead(status, { ...valuesByName(carried(headers)), ...length }).end(body);
  return status;
}
