/** Puts a function behind an address on loopback. Calls come one after the other, as a host gives them to one instance. */
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { EmballageError, messageOf } from '../../core/base/errors';
import type { CallReport, OpenHost } from './host';
import { eventOf, readBody, sendAnswer, type Served } from './http-events';

export interface ServeOptions {
  readonly host: OpenHost;
  readonly served: Served;
  /** 0 for any that is free. */
  readonly port: number;
  /** Milliseconds since 1970. */
  readonly now: () => number;
  readonly onCall: (call: ServedCall) => void;
}

export interface ServedCall {
  /** `POST /levels`. */
  readonly request: string;
  readonly status: number;
  readonly report?: CallReport;
  /** Why the function was not called. */
  readonly refused?: string;
}

export interface RunningService {
  readonly url: string;
  /** Has later requests answered by another, and closes the one before when it is free. */
  replace(host: OpenHost): Promise<void>;
  close(): Promise<void>;
}

/** @throws the system's error when the port is taken */
export async function serveFunction(options: ServeOptions): Promise<RunningService> {
  let { host } = options;
  // The tail of the line in which requests wait.
  let line: Promise<void> = Promise.resolve();
  const inTurn = (work: () => Promise<void>): Promise<void> => (line = line.then(work, work));
  const server = createServer((request, response) => {
    void inTurn(async () => options.onCall(await answer(request, response, host, options)));
  });
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(options.port, '127.0.0.1', resolve);
  });
  const { port } = server.address() as AddressInfo;
  return {
    url: `http://127.0.0.1:${String(port)}/`,
    replace: (other) =>
      inTurn(async () => {
        const before = host;
        host = other;
        await before.close();
      }),
    async close() {
      server.closeAllConnections();
      await new Promise<void>((resolve) => server.close(() => resolve()));
      await inTurn(() => host.close());
    },
  };
}

async function answer(
  request: IncomingMessage,
  response: ServerResponse,
  host: OpenHost,
  { served, now }: ServeOptions,
): Promise<ServedCall> {
  const shown = `${request.method ?? 'GET'} ${request.url ?? '/'}`;
  const refuse = (status: number, refused: string): ServedCall => {
    const body = JSON.stringify({ error: 'the request is no event', message: refused });
    response.writeHead(status, { 'content-type': 'application/json' }).end(body);
    return { request: shown, status, refused };
  };
  try {
    const body = await readBody(request);
    if (body === undefined) return refuse(413, 'its body is too large');
    const event = eventOf(request, body, served, new Date(now()).toISOString());
    const report = await host.call({ name: shown, event });
    return { request: shown, status: sendAnswer(response, report.answer, served), report };
  } catch (error) {
    if (error instanceof EmballageError)
      return refuse(400, `${error.facts.expected ?? ''}; found ${error.facts.found}`);
    if (error instanceof SyntaxError) return refuse(400, `its body is no JSON: ${messageOf(error)}`);
    return refuse(500, messageOf(error));
  }
}
