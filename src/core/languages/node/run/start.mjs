// Starts a function in an image. It is called in one of two ways: by lines, an event on each line of standard input
// (CloudEvents in JSON) and an answer on each line of standard output; or by HTTP on the port in PORT, with CloudEvents
// (HTTP Protocol Binding 1.0.2, structured and binary mode), or with the very requests where it is a web application. What
// the function itself writes goes to standard error, which is its log. By lines a function that throws ends with its stack
// there and exit code 1; by HTTP that call is answered with 500.
import { readFileSync, writeSync } from 'node:fs';
import { createServer, Server } from 'node:http';
import { createInterface } from 'node:readline';
import { fileURLToPath, pathToFileURL } from 'node:url';

const plan = JSON.parse(readFileSync(fileURLToPath(new URL('start.json', import.meta.url)), 'utf8'));
// Answers are written to the descriptor itself; everything else that means standard output is log.
process.stdout.write = process.stderr.write.bind(process.stderr);

// Adapters make applications listen where they want them to; this is for our own server.
const { listen } = Server.prototype;
const module = await import(pathToFileURL(`${plan.root}/${plan.file}`).href);
// CommonJS members that were not seen by reading stand on the default export only.
const member = module[plan.member] ?? module.default?.[plan.member];
if (typeof member !== 'function') throw new Error(`${plan.file} exports no function ${plan.member}`);

let calls = 0;
if (plan.speaks === 'http') serve();
else await readLines();

function call(event) {
  calls += 1;
  const names = plan.context;
  const context = {
    [names.name]: plan.name,
    [names.memory]: plan.memory,
    [names.run]: `run-${calls}`,
    [names.deadline]: new Date(Date.now() + plan.timeoutMs).toISOString(),
  };
  // No part of what is written of it as JSON.
  Object.defineProperty(context, names.log, { value: (...texts) => console.error(...texts) });
  return member(plan.event === 'data' ? event?.data : event, context);
}

async function readLines() {
  for await (const line of createInterface({ input: process.stdin })) {
    if (line.trim() === '') continue;
    // A line is what the destination gives: a whole event, or its data.
    const given = JSON.parse(line);
    const value = await call(plan.event === 'data' ? { data: given } : given);
    write(`${JSON.stringify(value ?? null)}\n`);
  }
}

function write(text) {
  const bytes = Buffer.from(text);
  for (let done = 0; done < bytes.length;) {
    try {
      done += writeSync(1, bytes, done);
    } catch (error) {
      if (error.code !== 'EAGAIN') throw error;
    }
  }
}

function serve() {
  let running = 0;
  const waiting = [];
  const free = () => {
    running -= 1;
    waiting.shift()?.();
  };
  const turn = async () => {
    if (running >= plan.concurrency) await new Promise((resolve) => waiting.push(resolve));
    running += 1;
  };
  const server = createServer((request, response) => {
    if (request.url === plan.health && request.method === 'GET')
      return void answer(response, 200, 'ready\n', 'text/plain');
    return void (async () => {
      await turn();
      try {
        await (plan.isWeb ? answerRequest(request, response) : answerEvent(request, response));
      } catch (error) {
        console.error(error);
        if (response.headersSent) response.destroy();
        else refuse(response, 500, error?.name ?? 'Error', String(error?.message ?? error));
      } finally {
        free();
      }
    })();
  });
  listen.call(server, Number(process.env.PORT || 8080), '0.0.0.0');
  process.on('SIGTERM', () => {
    // What has begun is answered; connections on which nothing is asked any more are let go.
    server.close(() => process.exit(0));
    setInterval(() => server.closeIdleConnections(), 20).unref();
    server.closeIdleConnections();
    setTimeout(() => process.exit(1), plan.stopMs).unref();
  });
}

class Refused extends Error {
  constructor(status, message) {
    super(message);
    this.status = status;
  }
}

async function bodyOf(request) {
  const chunks = [];
  let length = 0;
  for await (const chunk of request) {
    chunks.push(chunk);
    if ((length += chunk.length) > plan.mostBytes)
      throw new Refused(413, `the body has more than ${plan.mostBytes} bytes`);
  }
  return Buffer.concat(chunks);
}

async function answerEvent(request, response) {
  let event;
  try {
    event = eventOf(request, await bodyOf(request));
  } catch (error) {
    if (!(error instanceof Refused)) throw error;
    return refuse(response, error.status, 'the request is no event', error.message);
  }
  const value = await call(event);
  return answer(response, 200, JSON.stringify(value ?? null), 'application/json');
}

/** HTTP Protocol Binding, section 3; what is no event is taken as the data of one. */
function eventOf(request, body) {
  if (request.method !== 'POST') throw new Refused(405, `events come by POST, not by ${request.method}`);
  const type = (request.headers['content-type'] ?? '').split(';')[0].trim().toLowerCase();
  if (type.startsWith('application/cloudevents')) {
    if (type !== 'application/cloudevents+json') throw new Refused(415, `events in JSON are read, not ${type}`);
    return checked(parsed(body));
  }
  const data = body.length === 0 ? undefined : isJson(type) || type === '' ? parsed(body) : body.toString('utf8');
  if (request.headers['ce-specversion'] === undefined)
    return checked({
      specversion: '1.0',
      id: `run-${calls + 1}`,
      source: '/http',
      type: 'http.request',
      ...(data !== undefined && { datacontenttype: type || 'application/json', data }),
    });
  const event = {};
  for (const [name, value] of Object.entries(request.headers))
    if (name.startsWith('ce-')) event[name.slice(3)] = decodeURIComponent(value);
  if (type !== '') event.datacontenttype = type;
  if (body.length === 0) return checked(event);
  const isText = isJson(type) || type === '' || type.startsWith('text/');
  return checked(isText ? { ...event, data } : { ...event, data_base64: body.toString('base64') });
}

function isJson(type) {
  return /(?:^|[/+])json$/.test(type);
}

function parsed(body) {
  try {
    return JSON.parse(body.toString('utf8'));
  } catch (error) {
    throw new Refused(400, `the body is no JSON: ${error.message}`);
  }
}

/** CloudEvents 1.0, "Required attributes". */
function checked(event) {
  if (event === null || typeof event !== 'object') throw new Refused(400, 'the body is no event');
  if (event.specversion !== '1.0') throw new Refused(400, `\`specversion\` is ${event.specversion}, not 1.0`);
  for (const name of ['id', 'source', 'type'])
    if (typeof event[name] !== 'string' || event[name] === '') throw new Refused(400, `the event has no \`${name}\``);
  return event;
}

async function answerRequest(request, response) {
  const [, path = '/', query = ''] = /^([^?#]*)\??([^#]*)/.exec(request.url) ?? [];
  let body;
  try {
    body = await bodyOf(request);
  } catch (error) {
    if (!(error instanceof Refused)) throw error;
    return refuse(response, error.status, 'the request is refused', error.message);
  }
  const headers = {};
  for (let i = 0; i < request.rawHeaders.length; i += 2) {
    const name = request.rawHeaders[i].toLowerCase();
    if (OF_CONNECTION.has(name)) continue;
    headers[name] =
      headers[name] === undefined ? request.rawHeaders[i + 1] : [headers[name], request.rawHeaders[i + 1]].flat();
  }
  const remote = request.socket.remoteAddress ?? '';
  const asked = { method: request.method, path, query, headers, body, scheme: '', remote };
  const given = await module.respond(asked);
  const names = new Map();
  for (const [name, value] of given.headers) names.set(name, [...(names.get(name) ?? []), value]);
  const sent = Object.fromEntries([...names].filter(([name]) => !OF_CONNECTION.has(name)));
  // RFC 9110 8.6: these have no content, and say no length.
  if (given.status !== 204 && given.status !== 304) sent['content-length'] = given.body.length;
  response.writeHead(given.status, sent);
  return response.end(request.method === 'HEAD' ? undefined : given.body);
}

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

function answer(response, status, text, type) {
  response.writeHead(status, { 'content-type': type, 'content-length': Buffer.byteLength(text) }).end(text);
}

function refuse(response, status, error, message) {
  // Whatever more comes of the request is not read.
  response.setHeader('connection', 'close');
  answer(response, status, `${JSON.stringify({ error, message })}\n`, 'application/json');
}
