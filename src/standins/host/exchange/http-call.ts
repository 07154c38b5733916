/**
 * Calls a function that listens on a port: with CloudEvents (HTTP Protocol Binding 1.0.2), or with the very requests where
 * it is a web application.
 */
import { request as send, type IncomingMessage } from 'node:http';
import { connect } from 'node:net';
import { setTimeout as sleep } from 'node:timers/promises';
import {
  OWN_SHAPE,
  ownAnswer,
  readRequest,
  valuesByName,
  writeExact,
  type CloudEvent,
  type WebResponse,
} from '../../../core/events';
import type { Answer } from './answer';
import { carriedBy } from './headers';

/** The longest answer. */
const MAX_ANSWER_BYTES = 64 * 1024 * 1024;
const LOOK_MS = 15;

/** Calls it with an event. @returns once the whole answer is there */
export function callByHttp(port: number, event: CloudEvent, isWeb: boolean): Promise<Answer> {
  return isWeb ? callWeb(port, event) : callEvent(port, event);
}

/** Waits until something listens on a port, or the path that tells answers 200. Ends with `signal`. */
export async function untilReady(port: number, health: string | undefined, signal: AbortSignal): Promise<void> {
  while (!signal.aborted && !(await (health === undefined ? listens(port) : isHealthy(port, health))))
    await sleep(LOOK_MS);
}

function listens(port: number): Promise<boolean> {
  return new Promise((resolve) => {
    const socket = connect({ port, host: '127.0.0.1' });
    const end = (does: boolean): void => {
      socket.destroy();
      resolve(does);
    };
    socket.once('connect', () => end(true)).once('error', () => end(false));
  });
}

async function isHealthy(port: number, path: string): Promise<boolean> {
  try {
    const { status } = await exchange({ port, method: 'GET', path, headers: {} }, Buffer.alloc(0));
    return status === 200;
  } catch {
    return false;
  }
}

/** Binary mode, section 3.1: attributes in headers, data in the body. */
async function callEvent(port: number, event: CloudEvent): Promise<Answer> {
  const { data, data_base64: encoded, datacontenttype: type, ...attributes } = event;
  const headers: Record<string, string> = {};
  for (const [name, value] of Object.entries(attributes)) headers[`ce-${name}`] = encodedValue(String(value));
  const isEncoded = typeof encoded === 'string';
  const body = isEncoded ? Buffer.from(encoded, 'base64') : Buffer.from(data === undefined ? '' : writeExact(data));
  if (body.length > 0) headers['content-type'] = typeof type === 'string' ? type : 'application/json';
  const found = await answered({ port, method: 'POST', path: '/', headers }, body);
  if ('kind' in found) return found;
  return found.status >= 200 && found.status < 300 ? eventAnswer(found) : failed(found);
}

/** Section 3.1.3.2: characters beyond printable ASCII, spaces, quotes and percent signs. */
function encodedValue(text: string): string {
  return text.replace(/[^\x21-\x7e]|["%]/gu, (one) => encodeURIComponent(one));
}

function eventAnswer({ headers, body }: WebResponse): Answer {
  const type = headers.find(([name]) => name === 'content-type')?.[1] ?? '';
  const text = body.toString('utf8').trim();
  if (text === '') return { kind: 'answered', json: 'null', nothing: true };
  try {
    const value: unknown = JSON.parse(text);
    // An event as answer, section 3.2: its data is what was asked for.
    const isEvent = type.startsWith('application/cloudevents') && typeof value === 'object' && value !== null;
    const json = isEvent ? JSON.stringify((value as { data?: unknown }).data ?? null) : text;
    return { kind: 'answered', json, nothing: json === 'null' };
  } catch {
    const fault = `it answered ${JSON.stringify(text.slice(0, 60))}, which is no JSON`;
    return { kind: 'failed', failure: { kind: 'not-json', fault } };
  }
}

async function callWeb(port: number, event: CloudEvent): Promise<Answer> {
  const { method, path, query, headers, body } = readRequest(OWN_SHAPE, event.data);
  const target = query === '' ? path : `${path}?${query}`;
  const found = await answered({ port, method, path: target, headers: valuesByName(headers) }, body);
  if ('kind' in found) return found;
  return { kind: 'answered', json: JSON.stringify(ownAnswer(found)), nothing: false };
}

function failed(response: WebResponse): Answer {
  const json = JSON.stringify(ownAnswer(response));
  return { kind: 'failed', failure: { kind: 'status', status: response.status, json } };
}

interface Asked {
  readonly port: number;
  readonly method: string;
  readonly path: string;
  readonly headers: Readonly<Record<string, string | string[]>>;
}

async function answered(asked: Asked, body: Buffer): Promise<WebResponse | Answer> {
  try {
    return await exchange(asked, body);
  } catch (error) {
    const what = error instanceof Broken ? error.message : `its answer cannot be read: ${String(error)}`;
    return { kind: 'failed', failure: { kind: 'broken', what } };
  }
}

class Broken extends Error {}

function exchange({ port, method, path, headers }: Asked, body: Buffer): Promise<WebResponse> {
  return new Promise((resolve, reject) => {
    const sent = { host: 'localhost', ...headers, ...(body.length > 0 && { 'content-length': String(body.length) }) };
    const options = { host: '127.0.0.1', port, method, path, headers: sent, agent: false };
    const request = send(options, (response) => collect(response, resolve, reject));
    request.once('error', (error) =>
      reject(new Broken(`it closed the connection before it had answered (${error.message})`)),
    );
    request.end(body);
  });
}

function collect(
  response: IncomingMessage,
  resolve: (response: WebResponse) => void,
  reject: (error: Error) => void,
): void {
  const chunks: Buffer[] = [];
  let length = 0;
  response.on('data', (chunk: Buffer) => {
    chunks.push(chunk);
    if ((length += chunk.length) <= MAX_ANSWER_BYTES) return;
    reject(new Broken(`its answer has more than ${String(MAX_ANSWER_BYTES)} bytes`));
    response.destroy();
  });
  response.once('error', () => reject(new Broken('it answered half: the connection ended before the answer did')));
  response.once('end', () => {
    resolve({ status: response.statusCode ?? 0, headers: carriedBy(response.rawHeaders), body: Buffer.concat(chunks) });
  });
}
