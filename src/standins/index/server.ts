/** A small package index on loopback, over the same protocol as real ones, which can be told to misbehave. */
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { setTimeout as sleep } from 'node:timers/promises';
import { messageOf } from '../../core/base/errors';
import { MAVEN_PATH } from '../../core/languages/jvm/repository/pages';
import { NPM_PATH, npmDocument, parseNpmPath } from '../../core/languages/node/registry/pages';
import type { Catalogue, OfferedFile } from './catalogue';

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
  readonly catalogue: Catalogue;
  /** 0 for any that is free. */
  readonly port: number;
  readonly misbehave?: Misbehaviour;
  /** Name and password that every request must carry. */
  readonly login?: string;
  readonly onRequest?: (line: string) => void;
}

export interface RunningIndex {
  /** What to name as the source of Python packages. */
  readonly url: string;
  /** What to name as the registry of npm packages. */
  readonly npmUrl: string;
  /** What to name as a repository in the Maven layout. */
  readonly mavenUrl: string;
  close(): Promise<void>;
}

const SLOW_MS = 1500;
const JSON_TYPE = 'application/vnd.pypi.simple.v1+json';

/** @throws the system's error when the port is taken */
export async function startIndex(options: IndexOptions): Promise<RunningIndex> {
  const state = { requests: 0 };
  const server = createServer((request, response) => {
    options.onRequest?.(`${request.method ?? ''} ${request.url ?? ''}`);
    state.requests += 1;
    void answer(request, response, options, state.requests);
  });
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(options.port, '127.0.0.1', resolve);
  });
  const { port } = server.address() as AddressInfo;
  const base = `http://127.0.0.1:${String(port)}`;
  return {
    url: `${base}/simple`,
    npmUrl: base + NPM_PATH,
    mavenUrl: base + MAVEN_PATH.replace(/\/$/, ''),
    close: () => closeServer(server),
  };
}

function closeServer(server: Server): Promise<void> {
  server.closeAllConnections();
  return new Promise((resolve) => server.close(() => resolve()));
}

async function answer(
  request: IncomingMessage,
  response: ServerResponse,
  options: IndexOptions,
  serial: number,
): Promise<void> {
  const { misbehave, login } = options;
  const path = decodeURIComponent(new URL(request.url ?? '/', 'http://index').pathname);
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
  if (path.startsWith(MAVEN_PATH)) await sendMaven(request, response, options, path);
  else if (path.startsWith(NPM_PATH)) sendNpm(request, response, options, path);
  else sendSimple(request, response, options, path);
}

function sendSimple(request: IncomingMessage, response: ServerResponse, options: IndexOptions, path: string): void {
  const [, project] = /^\/simple\/([^/]+)\/$/.exec(path) ?? [];
  const [, name] = /^\/files\/([^/]+)$/.exec(path) ?? [];
  if (path === '/simple/') sendList(response, options.catalogue);
  else if (project !== undefined) sendProject(request, response, options, project);
  else if (name !== undefined) sendFile(request, response, options, name);
  else send(response, 404, 'text/plain', 'no such page');
}

function sendList(response: ServerResponse, catalogue: Catalogue): void {
  const projects = [...catalogue.wheels.keys()].sort().map((name) => ({ name }));
  send(response, 200, JSON_TYPE, JSON.stringify({ meta: { 'api-version': '1.1' }, projects }));
}

function sendProject(request: IncomingMessage, response: ServerResponse, options: IndexOptions, project: string): void {
  const files = options.catalogue.wheels.get(project);
  const { misbehave } = options;
  if (files === undefined) {
    send(response, 404, 'text/plain', 'no such project');
    return;
  }
  const wantsJson = (request.headers.accept ?? '').includes(JSON_TYPE) && misbehave !== 'html-only';
  if (misbehave === 'html-as-json') send(response, 200, JSON_TYPE, '<html>not what you asked for</html>');
  else if (wantsJson) sendTagged(request, response, JSON_TYPE, JSON.stringify(jsonPage(project, files, misbehave)));
  else sendTagged(request, response, 'text/html', htmlPage(project, files));
}

function jsonPage(project: string, files: readonly OfferedFile[], misbehave: Misbehaviour | undefined): object {
  return {
    meta: { 'api-version': '1.1' },
    name: project,
    files: files.map(({ file, sha256, bytes, requiresPython, yanked, metadata }) => ({
      filename: file,
      url: `../../files/${file}`,
      hashes: { sha256: misbehave === 'wrong-digest' ? '0'.repeat(64) : sha256 },
      size: bytes.length + (misbehave === 'wrong-size' ? 1 : 0),
      'requires-python': requiresPython ?? null,
      yanked: yanked ?? false,
      ...(metadata !== undefined && { 'core-metadata': true }),
    })),
  };
}

function htmlPage(project: string, files: readonly OfferedFile[]): string {
  const links = files.map(({ file, sha256, requiresPython, yanked }) => {
    const python = requiresPython === undefined ? '' : ` data-requires-python="${escaped(requiresPython)}"`;
    const gone = yanked === undefined ? '' : ` data-yanked="${escaped(yanked)}"`;
    return `<a href="../../files/${escaped(file)}#sha256=${sha256}"${python}${gone}>${escaped(file)}</a><br>`;
  });
  return `<!DOCTYPE html>\n<html><head><title>Links for ${escaped(project)}</title></head><body>\n${links.join('\n')}\n</body></html>\n`;
}

function sendFile(request: IncomingMessage, response: ServerResponse, options: IndexOptions, name: string): void {
  const wanted = name.replace(/\.metadata$/, '');
  const found = [...options.catalogue.wheels.values()].flat().find(({ file }) => file === wanted);
  if (found === undefined) send(response, 404, 'text/plain', 'no such file');
  else if (name !== wanted)
    send(response, found.metadata === undefined ? 404 : 200, 'text/plain', found.metadata ?? '');
  else sendBytes(request, response, options, found.bytes);
}

function sendNpm(request: IncomingMessage, response: ServerResponse, options: IndexOptions, path: string): void {
  const asked = parseNpmPath(path);
  const made = options.catalogue.npm.get(asked?.name ?? '');
  const tarball = made?.find(({ file }) => file === asked?.file);
  if (asked === undefined || made === undefined) send(response, 404, 'application/json', '{"error":"Not found"}');
  else if (asked.file !== undefined) {
    if (tarball === undefined) send(response, 404, 'application/json', '{"error":"Not found"}');
    else sendBytes(request, response, options, tarball.bytes);
  } else if (options.misbehave === 'html-as-json')
    send(response, 200, 'application/json', '<html>not what you asked for</html>');
  else {
    const base = `http://${request.headers.host ?? ''}${NPM_PATH}`;
    const wrong = options.misbehave === 'wrong-digest' ? 'digest' : undefined;
    sendTagged(request, response, 'application/json', JSON.stringify(npmDocument(asked.name, made, base, wrong)));
  }
}

async function sendMaven(
  request: IncomingMessage,
  response: ServerResponse,
  options: IndexOptions,
  path: string,
): Promise<void> {
  const { catalogue, misbehave } = options;
  let found: Buffer | undefined;
  try {
    found = await catalogue.maven.file(path.slice(MAVEN_PATH.length));
  } catch (error) {
    send(response, 500, 'text/plain', messageOf(error));
    return;
  }
  const isSum = path.endsWith('.sha1');
  if (found === undefined) send(response, 404, 'text/plain', 'no such file');
  else if (misbehave === 'html-as-json') send(response, 200, 'text/xml', '<html>not what you asked for</html>');
  else if (misbehave === 'wrong-digest' && isSum) send(response, 200, 'text/plain', '0'.repeat(40));
  else sendBytes(request, response, options, found);
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

function escaped(text: string): string {
  return text.replace(/[&<>"]/g, (char) => `&#${String(char.charCodeAt(0))};`);
}
