// Calls a Node.js web application with a request that comes as an event. Written by Emballage.
import { createServer, request as send, Server } from 'node:http';

const MOST_BYTES = '{most}';
const PATIENCE_MS = 30_000;

// An application that listens by itself is made to listen where only this module finds it.
const listen = Server.prototype.listen;
let server;
let listening;
Server.prototype.listen = function (...args) {
  server = this;
  const whenReady = args.find((arg) => typeof arg === 'function');
  listening ??= new Promise((resolve, reject) => {
    this.once('error', reject);
    listen.call(this, { port: 0, host: '127.0.0.1' }, resolve);
    this.unref();
  });
  if (whenReady !== undefined)
    listening.then(
      () => whenReady.call(this),
      () => undefined,
    );
  return this;
};

const module_ = await import('{file}');
const loaded = module_['{member}'] ?? module_.default?.['{member}'];

/** The server of the application: one that it started, or one around what it exports. */
async function findServer() {
  const application = await loaded;
  if (server === undefined) {
    if (application instanceof Server) application.listen();
    else if (typeof application === 'function') createServer(application).listen();
    else if (typeof application?.callback === 'function') createServer(application.callback()).listen();
    else if (typeof application?.listen === 'function') await application.listen({ port: 0, host: '127.0.0.1' });
  }
  const end = Date.now() + PATIENCE_MS;
  // It may still be on its way to listening.
  while (listening === undefined && Date.now() < end) await new Promise((resolve) => setTimeout(resolve, 5));
  if (listening === undefined)
    throw new TypeError(`the entry is no request handler and no application that listens, but ${typeof application}`);
  await listening;
  return server;
}

let found;

export async function handle(event) {
  found ??= findServer();
  const { port } = (await found).address();
  const asked = event.data ?? {};
  const query = asked.query ? `?${asked.query}` : '';
  const body = bodyOf(asked);
  const headers = { host: 'localhost', ...headersOf(asked) };
  if (body.length > 0) headers['content-length'] = String(body.length);
  return new Promise((resolve, reject) => {
    const options = {
      host: '127.0.0.1',
      port,
      method: (asked.method ?? 'GET').toUpperCase(),
      path: `${asked.path ?? '/'}${query}`,
      headers,
      agent: false,
    };
    const request = send(options, (response) => collect(response, resolve, reject));
    request.once('error', reject);
    request.end(body);
  });
}

function collect(response, resolve, reject) {
  const chunks = [];
  let length = 0;
  response.on('data', (chunk) => {
    chunks.push(chunk);
    if ((length += chunk.length) > MOST_BYTES)
      response.destroy(new Error(`the answer has more than ${MOST_BYTES} bytes`));
  });
  response.once('error', reject);
  response.once('end', () => resolve(answerOf(response, Buffer.concat(chunks))));
}

function headersOf({ headers, cookies }) {
  const found = Object.fromEntries(Object.entries(headers ?? {}).map(([name, value]) => [name.toLowerCase(), value]));
  if (cookies?.length > 0) found.cookie = [found.cookie ?? [], cookies].flat(2).join('; ');
  return found;
}

function bodyOf(asked) {
  if (asked['body-base64'] !== undefined) return Buffer.from(asked['body-base64'], 'base64');
  return Buffer.from(asked.body ?? '');
}

/** Repeated headers become lists; a body that is no text goes in base64. */
function answerOf({ statusCode, rawHeaders }, body) {
  const headers = {};
  for (let i = 0; i < rawHeaders.length; i += 2) {
    const name = rawHeaders[i].toLowerCase();
    // What belongs to the connection, not to the answer.
    if (name === 'connection' || name === 'keep-alive' || name === 'transfer-encoding') continue;
    headers[name] = headers[name] === undefined ? rawHeaders[i + 1] : [headers[name], rawHeaders[i + 1]].flat();
  }
  const answer = { status: statusCode, headers };
  try {
    answer.body = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true }).decode(body);
  } catch {
    answer['body-base64'] = body.toString('base64');
  }
  return answer;
}
