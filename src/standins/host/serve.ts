/** Puts a function behind an address on loopback. As many calls come at once as a host gives to one instance. */
import { type IncomingMessage, type ServerResponse } from 'node:http';
import { EmballageError, messageOf } from '../../core/base/errors';
import type { CallReport, OpenHost } from './host';
import { eventOf, readBody, sendAnswer } from './exchange/http-events';
import type { Shape } from '../../core/events';
import { serveOnLoopback } from '../loopback';

export interface ServeOptions {
  readonly host: OpenHost;
  /** For a web application: the shape of its requests. */
  readonly shape: Shape | undefined;
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
  const turns = new Turns();
  const { port, close } = await serveOnLoopback(options.port, async ({ request, response }) => {
    // Before its turn: who sends slowly keeps nobody waiting.
    const body = await readBody(request);
    await turns.take(host.concurrency, async () =>
      options.onCall(await answer({ request, response, body }, host, options)),
    );
  });
  return {
    url: `http://127.0.0.1:${String(port)}/`,
    replace: (other) =>
      turns.alone(async () => {
        const before = host;
        host = other;
        await before.close();
      }),
    async close() {
      await close();
      await turns.alone(async () => {
        await host.close();
      });
    },
  };
}

/** Lets so many work at once, the others in the order in which they came. */
class Turns {
  #running = 0;
  readonly #waiting: (() => void)[] = [];
  readonly #idle: (() => void)[] = [];
  /** Open when nobody is to be alone. */
  #gate: Promise<void> = Promise.resolve();

  async take(most: number, work: () => Promise<void>): Promise<void> {
    await this.#gate;
    if (this.#running >= most) await new Promise<void>((resolve) => this.#waiting.push(resolve));
    this.#running += 1;
    try {
      await work();
    } finally {
      this.#running -= 1;
      const next = this.#waiting.shift();
      if (next !== undefined) next();
      else if (this.#running === 0) for (const tell of this.#idle.splice(0)) tell();
    }
  }

  /** When all that came before are done, and before any that come later. */
  alone(work: () => Promise<void>): Promise<void> {
    const done = this.#gate.then(async () => {
      if (this.#running > 0) await new Promise<void>((resolve) => this.#idle.push(resolve));
      await work();
    });
    this.#gate = done.catch(() => undefined);
    return done;
  }
}

interface Request {
  readonly request: IncomingMessage;
  readonly response: ServerResponse;
  /** Undefined when it is too large. */
  readonly body: Buffer | undefined;
}

async function answer(
  { request, response, body }: Request,
  host: OpenHost,
  { shape, now }: ServeOptions,
): Promise<ServedCall> {
  const shown = `${request.method ?? 'GET'} ${request.url ?? '/'}`;
  const refuse = (status: number, refused: string): ServedCall => {
    const body = JSON.stringify({ error: 'the request is no event', message: refused });
    response.writeHead(status, { 'content-type': 'application/json' }).end(body);
    return { request: shown, status, refused };
  };
  try {
    if (body === undefined) return refuse(413, 'its body is too large');
    const event = eventOf(request, body, shape, new Date(now()).toISOString());
    const report = await host.call({ name: shown, event });
    return { request: shown, status: sendAnswer(response, report.answer, shape), report };
  } catch (error) {
    if (error instanceof EmballageError)
      return refuse(400, `${error.facts.expected ?? ''}; found ${error.facts.found}`);
    if (error instanceof SyntaxError) return refuse(400, `its body is no JSON: ${messageOf(error)}`);
    return refuse(500, messageOf(error));
  }
}
