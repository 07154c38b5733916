/** What a stand-in host can do wrong, to see what comes of it. */
import type { IncomingMessage, ServerResponse } from 'node:http';

export const HOST_FAULTS = [
  /** It has no time, every other time. */
  'busy',
  /** It fails, always. */
  'failing',
  /** It answers a while later. */
  'slow',
  /** It breaks the first upload off in the middle. */
  'half',
  /** It loses the connection after each first upload of something. */
  'lost',
  /** It forgets a setting. */
  'forgetful',
  /** It keeps other bytes than it was given. */
  'other-digest',
  /** It answers with a page for people. */
  'page',
  /** Its disk is full. */
  'full',
] as const;

export type HostFault = (typeof HOST_FAULTS)[number];

const SLOW_MS = 1500;

export class HostFaults {
  readonly fault: HostFault | undefined;
  readonly #lost = new Set<string>();
  #requests = 0;
  #isHalf = true;

  constructor(fault: HostFault | undefined) {
    this.fault = fault;
  }

  /** @returns whether the request was dealt with */
  async meet(request: IncomingMessage, response: ServerResponse): Promise<boolean> {
    this.#requests += 1;
    if (this.fault === 'slow') await new Promise((resolve) => setTimeout(resolve, SLOW_MS));
    if (this.fault === 'failing') return refuse(request, response, 500, 'not today');
    if (this.fault === 'busy' && this.#requests % 2 === 1) return refuse(request, response, 503, 'later');
    if (this.fault === 'page') {
      request.resume();
      response.writeHead(200, { 'content-type': 'text/html' }).end('<!doctype html><title>Harbour</title>Welcome');
      return true;
    }
    if (this.fault === 'full' && request.method === 'PUT') return refuse(request, response, 507, 'no room is left');
    if (this.fault === 'half' && this.#isHalf && isUpload(request)) {
      this.#isHalf = false;
      request.once('data', () => request.destroy());
      return true;
    }
    return false;
  }

  /** Whether the connection is lost now that something has arrived. */
  losesAfter(request: IncomingMessage): boolean {
    const what = request.url ?? '';
    if (this.fault !== 'lost' || !isUpload(request) || this.#lost.has(what)) return false;
    this.#lost.add(what);
    return true;
  }
}

function isUpload({ method, url }: IncomingMessage): boolean {
  return method === 'PUT' && (url ?? '').includes('/content/');
}

function refuse(request: IncomingMessage, response: ServerResponse, status: number, title: string): true {
  request.resume();
  sendProblem(response, status, title);
  return true;
}

/** Why not (RFC 9457). */
export function sendProblem(response: ServerResponse, status: number, title: string, detail?: string): void {
  const body = JSON.stringify({ title, status, ...(detail !== undefined && { detail }) });
  response.writeHead(status, { 'content-type': 'application/problem+json' }).end(body);
}
