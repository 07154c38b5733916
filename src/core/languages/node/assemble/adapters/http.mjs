// Calls a Node.js web application with a request that comes as an event. Written by Emballage.
import { createServer, request as send, Server } from 'node:http';

const MOST_BYTES = '{most}';
const PATIENCE_MS = 30_000;
// Where the parts of a request stand in an event, and those of a response in an answer.
const { request: REQUEST, response: RESPONSE } = '{shape}';
// Whether an event is given as its data alone.
const IS_DATA = '{data}';

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
  return answerOf(await respond(requestOf(IS_DATA ? event : event?.data)));
}

/** The response for a request: status, headers as pairs, body. */
export async function respond({ method, path, query, headers, body, scheme, remote }) {
  found ??= findServer();
  const { port } = (await found).address();
  const sent = { host: 'localhost', ...headers };
  if (body.length > 0) sent['content-length'] = String(body.length);
  // The application sees us as its client: who that is of us, and how it was spoken to, stands in headers.
  if (remote !== '') sent['x-forwarded-for'] ??= remote;
  if (scheme !== '') sent['x-forwarded-proto'] ??= scheme;
  return new Promise((resolve, reject) => {
    const options = { host: '127.0.0.1', port, method, path: query === '' ? path : `${path}?${query}`, headers: sent };
    const request = send({ ...options, agent: false }, (response) => collect(response, resolve, reject));
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
  response.once('end', () => {
    const { statusCode: status, rawHeaders } = response;
    const headers = [];
    for (let i = 0; i < rawHeaders.length; i += 2) headers.push([rawHeaders[i].toLowerCase(), rawHeaders[i + 1]]);
    resolve({ status, headers: headers.filter(([name]) => !OF_CONNECTION.has(name)), body: Buffer.concat(chunks) });
  });
}

/** What belongs to the connection, not to the answer. */
const OF_CONNECTION = new Set(['connection', 'keep-alive', 'transfer-encoding']);

function at(value, place) {
  let found = value;
  for (const part of place) {
    if (typeof found !== 'object' || found === null || !Object.hasOwn(found, part)) return undefined;
    found = found[part];
  }
  return found;
}

function put(document, place, value) {
  let found = document;
  for (const part of place.slice(0, -1)) found = found[part] ??= {};
  found[place.at(-1)] = value;
}

function requestOf(data) {
  const part = (name, usual) => (REQUEST[name] === undefined ? usual : (at(data, REQUEST[name]) ?? usual));
  const wanted = [REQUEST.method, REQUEST.path].filter((place) => place !== undefined);
  if (wanted.length > 0 && wanted.every((place) => at(data, place) === undefined)) {
    const places = wanted.map((place) => `/${place.join('/')}`).join(' or ');
    throw new TypeError(`the event is no web request: there is nothing at ${places}`);
  }
  return {
    method: part('method', 'GET').toUpperCase(),
    path: part('path', '/'),
    query: queryOf(REQUEST.query === undefined ? '' : at(data, REQUEST.query.at)),
    headers: headersOf(REQUEST.headers === undefined ? {} : at(data, REQUEST.headers.at), part('cookies', [])),
    body: bodyOf(part),
    scheme: part('scheme', ''),
    remote: part('remote', ''),
  };
}

function queryOf(value) {
  if (typeof value !== 'object' || value === null) return value ?? '';
  return String(
    new URLSearchParams(Object.entries(value).flatMap(([name, some]) => [some].flat().map((one) => [name, one]))),
  );
}

function headersOf(headers, cookies) {
  const found = Object.fromEntries(Object.entries(headers ?? {}).map(([name, value]) => [name.toLowerCase(), value]));
  if (cookies.length > 0) found.cookie = [found.cookie ?? [], cookies].flat(2).join('; ');
  return found;
}

function bodyOf(part) {
  const encoded = part('bodyBase64');
  if (encoded !== undefined) return Buffer.from(encoded, 'base64');
  return Buffer.from(part('body', ''), part('base64', false) === true ? 'base64' : 'utf8');
}

/** The answer for a response; a body that is no text goes in base64. */
function answerOf({ status, headers, body }) {
  const answer = {};
  for (const [place, value] of RESPONSE.with) put(answer, place, value);
  if (RESPONSE.status !== undefined) put(answer, RESPONSE.status, status);
  const grouped = {};
  for (const [name, value] of headers) (grouped[name] ??= []).push(value);
  if (RESPONSE.cookies !== undefined && grouped['set-cookie'] !== undefined) {
    put(answer, RESPONSE.cookies, grouped['set-cookie']);
    delete grouped['set-cookie'];
  }
  if (RESPONSE.headers !== undefined) {
    const written = Object.entries(grouped).map(([name, some]) => [name, writtenAs(some, RESPONSE.headers.as)]);
    put(answer, RESPONSE.headers.at, Object.fromEntries(written));
  }
  putBody(answer, body);
  return answer;
}

function writtenAs(values, form) {
  if (form === 'lists') return values;
  if (form === 'mapping') return values.join(', ');
  return values.length === 1 ? values[0] : values;
}

function putBody(answer, body) {
  let text;
  try {
    text = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true }).decode(body);
  } catch {
    if (RESPONSE.base64 === undefined && RESPONSE.bodyBase64 === undefined)
      throw new TypeError('the answer is no text, and the destination states no place for another');
  }
  if (RESPONSE.base64 !== undefined) put(answer, RESPONSE.base64, text === undefined);
  const place = text === undefined ? (RESPONSE.bodyBase64 ?? RESPONSE.body) : RESPONSE.body;
  if (place !== undefined) put(answer, place, text ?? body.toString('base64'));
}
