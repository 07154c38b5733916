/** The servers of the stand-ins: on loopback alone, for programs of this machine, and alive whatever they are sent. */
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { messageOf } from '../core/base/errors';

export interface Asked {
  readonly request: IncomingMessage;
  readonly response: ServerResponse;
  /** What was asked for, as if it were on 127.0.0.1. */
  readonly url: URL;
}

export interface LoopbackServer {
  readonly port: number;
  /** Breaks off what is under way. */
  readonly close: () => Promise<void>;
}

/**
 * @param port 0 for any that is free
 * @param answer what it throws or rejects with is answered as a fault of the server
 * @throws the system's error when the port is taken
 */
export async function serveOnLoopback(
  port: number,
  answer: (asked: Asked) => void | Promise<void>,
): Promise<LoopbackServer> {
  const server = createServer((request, response) => {
    // A client that breaks off is no fault of anybody's.
    request.on('error', () => undefined);
    response.on('error', () => undefined);
    void meet(request, response, answer);
  });
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, '127.0.0.1', resolve);
  });
  return { port: (server.address() as AddressInfo).port, close: () => closeServer(server) };
}

async function meet(
  request: IncomingMessage,
  response: ServerResponse,
  answer: (asked: Asked) => void | Promise<void>,
): Promise<void> {
  try {
    const refused = whyRefused(request);
    if (refused !== undefined) {
      problem(response, 403, 'only programs of this machine are answered', refused);
      return;
    }
    const url = URL.canParse(request.url ?? '/', 'http://127.0.0.1')
      ? new URL(request.url ?? '/', 'http://127.0.0.1')
      : undefined;
    if (url === undefined) problem(response, 400, 'the request is none', 'its address cannot be read');
    else await answer({ request, response, url });
  } catch (error) {
    if (response.headersSent || request.socket.destroyed) response.destroy();
    else problem(response, 500, 'a fault of the server', messageOf(error));
  }
}

const OWN_NAMES = /^(?:127(?:\.\d{1,3}){3}|localhost|\[::1\])(?::\d+)?$/i;

/**
 * A page of the web that somebody looks at can have the browser ask us: it names where it comes from (RFC 6454 7.2), and
 * where a name of its own leads to this machine, that name is the host it asks for (RFC 9110 7.2).
 */
function whyRefused({ headers }: IncomingMessage): string | undefined {
  const { host, origin } = headers;
  if (host !== undefined && !OWN_NAMES.test(host)) return `the host asked for is ${JSON.stringify(host.slice(0, 80))}`;
  if (origin === undefined || OWN_NAMES.test(origin.replace(/^https?:\/\//, ''))) return undefined;
  return `the request comes from a page of ${JSON.stringify(origin.slice(0, 80))}`;
}

function problem(response: ServerResponse, status: number, error: string, message: string): void {
  response.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify({ error, message }));
}

function closeServer(server: Server): Promise<void> {
  server.closeAllConnections();
  return new Promise((resolve) => server.close(() => resolve()));
}
