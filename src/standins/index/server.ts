/** A small package index on loopback, over the same protocols as real ones, which can be told to misbehave. */
import { percentDecoded } from '../../core/base/text';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { setTimeout as sleep } from 'node:timers/promises';
import { messageOf } from '../../core/base/errors';
import type { Offer, Page, PageFault, Pages } from '../../core/languages';
import { serveOnLoopback, type Asked } from '../loopback';

/** What pages themselves get wrong. */
const PAGE_FAULTS: readonly PageFault[] = ['wrong-digest', 'wrong-size', 'html-as-json', 'html-only'];

/** How it may misbehave, one way at a time. */
export const MISBEHAVIOURS = [
  'slow',
  'truncated',
  'failing',
  'flaky',
  'wrong-digest',
  'wrong-size',
  'html-as-json',
  'other-scheme',
  'html-only',
] as const;
export type Misbehaviour = (typeof MISBEHAVIOURS)[number];

export interface IndexOptions {
  /** What each language has to offer. */
  readonly pages: readonly Pages[];
  /** 0 for any that is free. */
  readonly port: number;
  readonly misbehave?: Misbehaviour;
  /** Name and password that every request must carry. */
  readonly login?: string;
  readonly onRequest?: (line: string) => void;
}

export interface RunningIndex {
  readonly offers: readonly Offer[];
  close(): Promise<void>;
}

const SLOW_MS = 1500;

/** @throws the system's error when the port is taken */
export async function startIndex(options: IndexOptions): Promise<RunningIndex> {
  const state = { requests: 0 };
  const { port, close } = await serveOnLoopback(options.port, (asked) => {
    options.onRequest?.(`${asked.request.method ?? ''} ${asked.request.url ?? ''}`);
    state.requests += 1;
    return answer(asked, options, state.requests);
  });
  const base = `http://127.0.0.1:${String(port)}`;
  return { offers: options.pages.map((one) => one.offer(base)), close };
}

async function answer({ request, response, url }: Asked, options: IndexOptions, serial: number): Promise<void> {
  const { misbehave, login } = options;
  const path = percentDecoded(url.pathname);
  if (login !== undefined && request.headers.authorization !== `Basic ${Buffer.from(login).toString('base64')}`) {
    send(response, 401, 'text/plain', 'a login is needed');
    return;
  }
  if (misbehave === 'slow') await sleep(SLOW_MS);
  if (misbehave === 'failing' || (misbehave === 'flaky' && serial % 2 === 1)) {
    send(response, 503, 'text/plain', 'not now');
    return;
  }
  if (misbehave === 'other-scheme') {
    response.writeHead(302, { location: 'ftp://127.0.0.1/simple/' }).end();
    return;
  }
  try {
    const page = await findPage(request, options, path);
    if (page === undefined) send(response, 404, 'text/plain', 'no such page');
    else sendPage(request, response, options, page);
  } catch (error) {
    send(response, 500, 'text/plain', messageOf(error));
  }
}

async function findPage(
  request: IncomingMessage,
  { pages, misbehave }: IndexOptions,
  path: string,
): Promise<Page | undefined> {
  const fault = PAGE_FAULTS.find((one) => one === misbehave);
  const base = `http://${request.headers.host ?? ''}`;
  for (const one of pages) {
    const page = await one.page({ path, accept: request.headers.accept ?? '', base, fault });
    if (page !== undefined) return page;
  }
  return undefined;
}

function sendPage(request: IncomingMessage, response: ServerResponse, options: IndexOptions, page: Page): void {
  if (page.kind === 'file') sendBytes(request, response, options, page.bytes);
  else if (page.isTagged) sendTagged(request, response, page.type, page.body);
  else send(response, 200, page.type, page.body);
}

function sendBytes(
  request: IncomingMessage,
  response: ServerResponse,
  { misbehave }: IndexOptions,
  bytes: Buffer,
): void {
  if (misbehave === 'truncated') {
    response.writeHead(200, { 'content-type': 'application/octet-stream', 'content-length': bytes.length });
    response.write(bytes.subarray(0, Math.floor(bytes.length / 2)), () => response.destroy());
  } else sendRange(request, response, bytes);
}

/** RFC 9110 14: only the form that asks for the last bytes. */
function sendRange(request: IncomingMessage, response: ServerResponse, bytes: Buffer): void {
  const [, suffix] = /^bytes=-(\d+)$/.exec(request.headers.range ?? '') ?? [];
  const type = { 'content-type': 'application/octet-stream' };
  if (suffix === undefined) {
    response.writeHead(200, { ...type, 'content-length': bytes.length }).end(bytes);
    return;
  }
  const part = bytes.subarray(Math.max(0, bytes.length - Number(suffix)));
  const range = `bytes ${String(bytes.length - part.length)}-${String(bytes.length - 1)}/${String(bytes.length)}`;
  response.writeHead(206, { ...type, 'content-length': part.length, 'content-range': range }).end(part);
}

/** With an entity tag, so that it can be asked whether anything changed (RFC 9110 8.8.3, 13.1.2). */
function sendTagged(request: IncomingMessage, response: ServerResponse, type: string, body: string): void {
  const etag = `"${String(body.length)}-${String(hashOf(body))}"`;
  const headers = { etag, 'cache-control': 'max-age=0, must-revalidate' };
  if (request.headers['if-none-match'] === etag) response.writeHead(304, headers).end();
  else response.writeHead(200, { ...headers, 'content-type': type }).end(body);
}

function hashOf(text: string): number {
  let hash = 0;
  for (let i = 0; i < text.length; i++) hash = (Math.imul(hash, 31) + text.charCodeAt(i)) >>> 0;
  return hash;
}

function send(response: ServerResponse, status: number, type: string, body: string): void {
  response.writeHead(status, { 'content-type': type }).end(body);
}
