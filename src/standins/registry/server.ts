/** A small registry of container images on loopback (OCI distribution specification 1.1), which can be told to misbehave. */
import { randomBytes } from 'node:crypto';
import type { IncomingMessage } from 'node:http';
import { CONTENT_DIGEST, OCI_INDEX } from '../../core/formats/oci';
import { sendBlob } from './blobs';
import { fail, send, type Exchange } from './exchange';
import { FaultState, type RegistryFault } from './faults';
import { RegistryStore } from './store';
import { receiveUpload } from './uploads';
import { serveOnLoopback } from '../loopback';

export interface RegistryOptions {
  /** Absolute path of the folder that it keeps everything in. */
  readonly folder: string;
  /** 0 for any that is free. */
  readonly port: number;
  readonly misbehave?: RegistryFault;
  /** Name and password that every request must carry. */
  readonly login?: string;
  /** With a login: whether it gives tokens for it, as large registries do. */
  readonly tokens?: boolean;
  readonly onRequest?: (line: string) => void;
}

export interface RunningRegistry {
  /** `127.0.0.1:8430`. */
  readonly host: string;
  close(): Promise<void>;
}

const MAX_MANIFEST_BYTES = 4 * 1024 * 1024;

/** @throws the system's error when the port is taken */
export async function startRegistry(options: RegistryOptions): Promise<RunningRegistry> {
  const store = new RegistryStore(options.folder);
  const faults = new FaultState(options.misbehave);
  const guard = new Guard(options);
  const { port, close } = await serveOnLoopback(options.port, ({ request, response, url }) => {
    options.onRequest?.(
      `${request.method ?? ''} ${request.url ?? ''}${request.headers.authorization === undefined ? '' : ' (with a login)'}`,
    );
    return answer({ request, response, url, store, faults }, guard);
  });
  return { host: `127.0.0.1:${String(port)}`, close };
}

async function answer(exchange: Exchange, guard: Guard): Promise<void> {
  const { request, response, url, faults } = exchange;
  const count = faults.countRequest();
  if (url.pathname === '/token') {
    guard.giveToken(exchange);
    return;
  }
  if (faults.fault === 'failing' || (faults.fault === 'flaky' && count % 2 === 1)) {
    request.resume();
    fail(response, 500, 'UNKNOWN', 'not today');
    return;
  }
  if (faults.fault === 'busy' && count % 3 !== 0) {
    request.resume();
    response.setHeader('retry-after', '1');
    fail(response, 429, 'TOOMANYREQUESTS', 'later');
    return;
  }
  if (!guard.lets(exchange)) return;
  if (/^\/v2\/?$/.test(url.pathname)) send(response, 200, 'application/json', '{}');
  else await route(exchange);
}

async function route(exchange: Exchange): Promise<void> {
  const { response, url, store } = exchange;
  const [, name = '', kind = '', rest = ''] =
    /^\/v2\/(.+?)\/(manifests|blobs|tags|referrers)\/(.*)$/.exec(url.pathname) ?? [];
  if (!store.isName(name)) fail(response, 400, 'NAME_INVALID', 'no name of a repository');
  else if (kind === 'manifests') await routeManifest(exchange, name, rest);
  else if (kind === 'blobs') await routeBlob(exchange, name, rest);
  else if (kind === 'tags' && rest === 'list') sendTags(exchange, name);
  else if (kind === 'referrers') sendReferrers(exchange, name, rest);
  else fail(response, 404, 'UNSUPPORTED', 'no such page');
}

async function routeManifest(exchange: Exchange, name: string, reference: string): Promise<void> {
  const { method } = exchange.request;
  if (method === 'PUT') await putManifest(exchange, name, reference);
  else if (method === 'DELETE') deleteManifest(exchange, name, reference);
  else sendManifest(exchange, name, reference);
}

async function routeBlob(exchange: Exchange, name: string, rest: string): Promise<void> {
  const { request, response, store } = exchange;
  if (rest.startsWith('uploads/')) await receiveUpload(exchange, name, rest.slice('uploads/'.length));
  else if (request.method === 'DELETE') send(response, store.deleteBlob(name, rest) ? 202 : 404, 'text/plain', '');
  else sendBlob(exchange, name, rest);
}

function sendManifest({ request, response, store, faults }: Exchange, name: string, reference: string): void {
  const found = store.manifest(name, reference);
  if (found === undefined) {
    fail(response, 404, 'MANIFEST_UNKNOWN', 'manifest unknown');
    return;
  }
  const itself = [{ mediaType: OCI_INDEX, digest: found.digest, size: found.bytes.length }];
  const bytes =
    faults.fault === 'lists-itself'
      ? Buffer.from(JSON.stringify({ schemaVersion: 2, mediaType: OCI_INDEX, manifests: itself }))
      : found.bytes;
  response.writeHead(200, {
    'content-type': faults.fault === 'lists-itself' ? OCI_INDEX : found.mediaType,
    'content-length': bytes.length,
    ...(faults.fault !== 'lists-itself' && { [CONTENT_DIGEST]: found.digest }),
  });
  response.end(request.method === 'HEAD' ? undefined : bytes);
}

async function putManifest(
  { request, response, store, faults }: Exchange,
  name: string,
  reference: string,
): Promise<void> {
  const bytes = await body(request);
  if (bytes === undefined) fail(response, 413, 'MANIFEST_INVALID', 'too large');
  else if (!reference.startsWith('sha256:') && !store.isTag(reference)) fail(response, 400, 'TAG_INVALID', 'no tag');
  else {
    const missing = missingFrom(store, name, bytes);
    if (missing !== undefined) {
      fail(response, 400, 'MANIFEST_BLOB_UNKNOWN', missing);
      return;
    }
    const digest = store.putManifest(name, reference, request.headers['content-type'] ?? '', bytes);
    if (reference.startsWith('sha256:') && reference !== digest)
      fail(response, 400, 'DIGEST_INVALID', 'another digest');
    else
      response
        .writeHead(201, {
          location: `/v2/${name}/manifests/${digest}`,
          [CONTENT_DIGEST]: digest,
          ...(faults.fault !== 'no-referrers' && subjectField(bytes)),
          'content-length': 0,
        })
        .end();
  }
}

/** Says that it lists what the manifest refers to ("Pushing Manifests with Subject"). */
function subjectField(bytes: Buffer): { readonly 'oci-subject'?: string } {
  const { subject } = JSON.parse(bytes.toString('utf8')) as Referring;
  return subject === undefined ? {} : { 'oci-subject': subject.digest };
}

interface Referring {
  readonly config?: { readonly digest: string };
  readonly layers?: readonly { readonly digest: string }[];
  readonly manifests?: readonly { readonly digest: string }[];
  readonly subject?: { readonly digest: string };
  readonly mediaType?: string;
  readonly artifactType?: string;
}

/** What a manifest names must be there before it ("Pushing Manifests"). */
function missingFrom(store: RegistryStore, name: string, bytes: Buffer): string | undefined {
  let manifest: Referring;
  try {
    manifest = JSON.parse(bytes.toString('utf8')) as Referring;
  } catch {
    return 'no JSON';
  }
  const blobs = [manifest.config, ...(manifest.layers ?? [])].flatMap((one) => one?.digest ?? []);
  const unknown = blobs.find((digest) => store.blob(name, digest) === undefined);
  return unknown ?? (manifest.manifests ?? []).find(({ digest }) => store.manifest(name, digest) === undefined)?.digest;
}

function deleteManifest({ response, store, faults }: Exchange, name: string, reference: string): void {
  if (faults.fault === 'no-delete') fail(response, 405, 'UNSUPPORTED', 'nothing is deleted here');
  else if (store.deleteManifest(name, reference)) response.writeHead(202, { 'content-length': 0 }).end();
  else fail(response, 404, 'MANIFEST_UNKNOWN', 'manifest unknown');
}

function sendTags({ response, url, store }: Exchange, name: string): void {
  const all = store.tags(name);
  if (all === undefined) {
    fail(response, 404, 'NAME_UNKNOWN', 'repository name not known to registry');
    return;
  }
  const last = url.searchParams.get('last') ?? '';
  const most = Math.min(Number(url.searchParams.get('n') ?? '100'), 100);
  const rest = all.filter((tag) => tag > last);
  const tags = rest.slice(0, most);
  if (rest.length > tags.length)
    response.setHeader('link', `</v2/${name}/tags/list?n=${String(most)}&last=${tags.at(-1) ?? ''}>; rel="next"`);
  send(response, 200, 'application/json', JSON.stringify({ name, tags }));
}

function sendReferrers({ response, store, faults }: Exchange, name: string, digest: string): void {
  if (faults.fault === 'no-referrers') {
    fail(response, 404, 'UNSUPPORTED', 'no such page');
    return;
  }
  const manifests = store.manifests(name).flatMap(({ digest: own, mediaType, bytes }) => {
    const { subject, artifactType } = JSON.parse(bytes.toString('utf8')) as Referring;
    if (subject?.digest !== digest) return [];
    return [{ mediaType, digest: own, size: bytes.length, ...(artifactType !== undefined && { artifactType }) }];
  });
  send(response, 200, OCI_INDEX, JSON.stringify({ schemaVersion: 2, mediaType: OCI_INDEX, manifests }));
}

/** Who may come in. */
class Guard {
  readonly #basic: string | undefined;
  readonly #tokens = new Set<string>();
  readonly #givesTokens: boolean;
  readonly #isShut: boolean;

  constructor({ login, tokens = false, misbehave }: RegistryOptions) {
    this.#basic = login === undefined ? undefined : `Basic ${Buffer.from(login).toString('base64')}`;
    this.#givesTokens = tokens;
    this.#isShut = misbehave === 'unauthorized';
  }

  lets({ request, response, url }: Exchange): boolean {
    const { authorization = '' } = request.headers;
    const isKnown = this.#givesTokens ? this.#tokens.has(authorization) : authorization === this.#basic;
    // An address that was given out by redirect stands for itself.
    const isRedirected = request.headers.host?.startsWith('localhost') === true && url.pathname.includes('/blobs/');
    if (!this.#isShut && (this.#basic === undefined || isKnown || isRedirected)) return true;
    request.resume();
    const realm = `http://${request.headers.host ?? ''}/token`;
    response.setHeader(
      'www-authenticate',
      this.#givesTokens ? `Bearer realm="${realm}",service="stand-in"` : 'Basic realm="stand-in"',
    );
    fail(response, 401, 'UNAUTHORIZED', 'authentication required');
    return false;
  }

  giveToken({ request, response }: Exchange): void {
    if (request.headers.authorization !== this.#basic) {
      fail(response, 401, 'UNAUTHORIZED', 'authentication required');
      return;
    }
    const token = randomBytes(16).toString('hex');
    this.#tokens.add(`Bearer ${token}`);
    send(response, 200, 'application/json', JSON.stringify({ token, expires_in: 300 }));
  }
}

/** A small body; undefined when it is larger than manifests are. */
async function body(request: IncomingMessage): Promise<Buffer | undefined> {
  const chunks: Uint8Array[] = [];
  let length = 0;
  for await (const chunk of request) {
    length += (chunk as Uint8Array).length;
    if (length > MAX_MANIFEST_BYTES) return undefined;
    chunks.push(chunk as Uint8Array);
  }
  return Buffer.concat(chunks);
}
