/**
 * Pushes blobs and manifests (OCI distribution specification 1.1, "Push"): nothing that is there already, blobs of other
 * repositories by mounting, large ones in pieces that go on where they were cut off.
 */
import { EmballageError } from '../../base/errors';
import { printable } from '../../base/text';
import { CONTENT_DIGEST, type Descriptor, type Stretch } from '../../formats/oci';
import { fileBody } from '../file-body';
import type { NetworkResponse, RequestBody } from '../network';
import type { RegistryConnection } from './connection';
import { pullScope } from './pull';

/** What was begun, so that a later run can go on with it. */
export interface UploadMemory {
  recall(key: string): string | undefined;
  remember(key: string, location: string): void;
  forget(key: string): void;
}

export interface PushRequest {
  readonly name: string;
  readonly descriptor: Descriptor;
  readonly content: Stretch;
  /** Repositories of the same registry that may have it. */
  readonly mountFrom: readonly string[];
  readonly memory: UploadMemory;
  /** Told how many bytes are there. */
  readonly onProgress?: (bytes: number) => void;
}

/** How a blob came to be there. */
export type Pushed = 'there' | 'mounted' | 'sent';

/** Up to this size a blob is sent in one request; beyond in pieces of PIECE_BYTES. */
const WHOLE_BYTES = 4 * 1024 * 1024;
const PIECE_BYTES = 64 * 1024 * 1024;
const MAX_CUTS = 20;
const MAX_WHOLE_ATTEMPTS = 4;
/** Below that a blob is sent without asking whether another repository has it. */
const WORTH_ASKING_BYTES = 64 * 1024;

/** What a token has to allow to write to a repository. */
export function pushScope(name: string): string {
  return `repository:${name}:pull,push`;
}

/** Sends a blob, unless it is there: mounted, whole or in pieces, gone on with after a cut. @throws EmballageError */
export async function pushBlob(registry: RegistryConnection, request: PushRequest): Promise<Pushed> {
  const { name, descriptor, mountFrom, memory } = request;
  if (await hasBlob(registry, name, descriptor)) return 'there';
  const key = `${registry.host}/${name}@${descriptor.digest}`;
  const begun = memory.recall(key);
  let upload: Upload | 'mounted' | undefined =
    begun === undefined ? undefined : await statusOf(registry, request, begun);
  const from = upload === undefined ? await whereElse(registry, descriptor, mountFrom) : undefined;
  for (let attempt = 1; ; attempt++) {
    upload ??= await begin(registry, request, from);
    if (upload === 'mounted') return 'mounted';
    try {
      await sendTo(registry, request, upload, key);
      return 'sent';
    } catch (error) {
      // What was sent whole and did not arrive is sent whole again. Pieces go on by themselves, unless the registry has lost count.
      const isLost = error instanceof LostUpload || (isCutOff(error) && descriptor.size <= WHOLE_BYTES);
      if (!isLost || attempt >= MAX_WHOLE_ATTEMPTS) throw error instanceof LostUpload ? error.fault : error;
      await registry.pause(attempt);
      upload = undefined;
    }
  }
}

/** Sends small bytes in one request, without asking whether they are there; where it fails it is sent again. */
export async function pushBytes(
  registry: RegistryConnection,
  name: string,
  { digest, bytes }: { readonly digest: string; readonly bytes: Uint8Array },
): Promise<void> {
  const request = { name, descriptor: { mediaType: 'application/octet-stream', digest, size: bytes.length } };
  const upload = await begin(registry, request, undefined);
  if (upload === 'mounted') return;
  await finish(registry, request, upload, { size: bytes.length, pieces: () => [bytes] }, false);
}

/** After a cut the registry does not say how much has arrived: some only go on where a request ended whole. */
class LostUpload extends Error {
  readonly fault: unknown;

  constructor(fault: unknown) {
    super('the upload is lost');
    this.fault = fault;
  }
}

async function sendTo(registry: RegistryConnection, request: PushRequest, upload: Upload, key: string): Promise<void> {
  const { descriptor, memory, onProgress } = request;
  try {
    if (descriptor.size <= WHOLE_BYTES && upload.at === 0) await finish(registry, request, upload, wholeBody(request));
    else await sendPieces(registry, request, upload, key);
  } catch (error) {
    // What can be gone on with is; anything else is not left behind.
    if (!isCutOff(error)) {
      await cancel(registry, request, upload);
      memory.forget(key);
    }
    throw error;
  }
  memory.forget(key);
  onProgress?.(descriptor.size);
}

function isCutOff(error: unknown): boolean {
  return error instanceof EmballageError && error.code === 'REGISTRY_UNREACHABLE';
}

/** Another repository that has the blob. Small ones are sent in less time than it takes to ask. */
async function whereElse(
  registry: RegistryConnection,
  descriptor: Descriptor,
  repositories: readonly string[],
): Promise<string | undefined> {
  if (descriptor.size < WORTH_ASKING_BYTES) return undefined;
  for (const name of repositories) {
    // Where we may not look we cannot take it from either; then it is sent.
    const isThere = await hasBlob(registry, name, descriptor, pullScope(name)).catch(() => false);
    if (isThere) return name;
  }
  return undefined;
}

/** Whether a repository has a blob of that digest and size. */
export async function hasBlob(
  registry: RegistryConnection,
  name: string,
  { digest, size }: Descriptor,
  scope = pushScope(name),
): Promise<boolean> {
  const doing = `looking for ${digest.slice(0, 19)} in ${printable(name)}`;
  const response = await registry.send({
    method: 'HEAD',
    at: `/v2/${name}/blobs/${digest}`,
    doing,
    scope,
    expects: [200, 404],
  });
  // There is no body, but the connection counts as used until that has been seen.
  await registry.small(response, 65_536, doing);
  const length = response.headers['content-length'];
  return response.status === 200 && (length === undefined || Number(length) === size);
}

interface Upload {
  /** Address to go on at. */
  readonly location: string;
  /** Bytes that have arrived. */
  readonly at: number;
}

async function begin(
  registry: RegistryConnection,
  { name, descriptor }: Pick<PushRequest, 'name' | 'descriptor'>,
  from: string | undefined,
): Promise<Upload | 'mounted'> {
  const doing = `sending ${descriptor.digest.slice(0, 19)} to ${printable(name)}`;
  const query =
    from === undefined ? '' : `?mount=${encodeURIComponent(descriptor.digest)}&from=${encodeURIComponent(from)}`;
  const response = await registry.send({
    method: 'POST',
    at: `/v2/${name}/blobs/uploads/${query}`,
    headers: { 'content-length': '0' },
    doing,
    scope: from === undefined ? pushScope(name) : `${pushScope(name)} repository:${from}:pull`,
    expects: from === undefined ? [202] : [201, 202],
  });
  await registry.small(response, 65_536, doing);
  return response.status === 201 ? 'mounted' : { location: locationOf(registry, response, doing), at: 0 };
}

async function sendPieces(
  registry: RegistryConnection,
  request: PushRequest,
  first: Upload,
  key: string,
): Promise<void> {
  const { descriptor, memory, onProgress } = request;
  let upload = first;
  for (let cuts = 0; upload.at < descriptor.size;) {
    memory.remember(key, upload.location);
    onProgress?.(upload.at);
    try {
      upload = await sendPiece(registry, request, upload);
    } catch (error) {
      if (!isCutOff(error) || ++cuts > MAX_CUTS) throw error;
      await registry.pause(Math.min(cuts, 5));
      const found = await statusOf(registry, request, upload.location);
      if (found === undefined) throw new LostUpload(error);
      upload = found;
    }
  }
  await finish(registry, request, upload, undefined);
}

async function sendPiece(
  registry: RegistryConnection,
  request: PushRequest,
  { location, at }: Upload,
): Promise<Upload> {
  const { name, descriptor, content, onProgress } = request;
  const size = Math.min(PIECE_BYTES, descriptor.size - at);
  const doing = `sending ${descriptor.digest.slice(0, 19)} to ${printable(name)}`;
  const response = await registry.send({
    method: 'PATCH',
    at: location,
    headers: {
      'content-type': 'application/octet-stream',
      'content-length': String(size),
      'content-range': `${String(at)}-${String(at + size - 1)}`,
    },
    body: fileBody({ path: content.path, at: content.at + at, size }, (done) => onProgress?.(at + done)),
    doing,
    scope: pushScope(name),
    // 416: it has another idea of what has arrived.
    expects: [202, 204, 416],
    once: true,
  });
  await registry.small(response, 65_536, doing);
  if (response.status === 416) {
    const found = await statusOf(registry, request, location);
    if (found === undefined || found.at === at) throw registry.bad(doing, 'the next piece taken', 'status 416');
    return found;
  }
  const [, end] = /^(?:bytes=)?0-(\d+)$/.exec(response.headers.range ?? '') ?? [];
  return { location: locationOf(registry, response, doing), at: end === undefined ? at + size : Number(end) + 1 };
}

/** How much of an upload has arrived; undefined where the registry no longer knows it. */
async function statusOf(
  registry: RegistryConnection,
  { name, descriptor }: PushRequest,
  location: string,
): Promise<Upload | undefined> {
  const doing = `asking how much of ${descriptor.digest.slice(0, 19)} has arrived`;
  const response = await registry.send({
    at: location,
    doing,
    scope: pushScope(name),
    expects: [204, 200, 404, 400],
  });
  await registry.small(response, 65_536, doing);
  const [, end] = /^(?:bytes=)?0-(\d+)$/.exec(response.headers.range ?? '') ?? [];
  if (response.status !== 204 && response.status !== 200) return undefined;
  const arrived = end === undefined ? 0 : Number(end) + 1;
  if (arrived > descriptor.size) return undefined;
  const next = response.headers.location;
  // Registries say `0-0` both for nothing and for one byte; a byte sent again is refused, so nothing is the safe reading.
  return { location: next === undefined ? location : registry.resolve(next, doing), at: arrived === 1 ? 0 : arrived };
}

async function finish(
  registry: RegistryConnection,
  { name, descriptor }: Pick<PushRequest, 'name' | 'descriptor'>,
  { location }: Upload,
  body: RequestBody | undefined,
  isOnce = body !== undefined,
): Promise<void> {
  const doing = `sending ${descriptor.digest.slice(0, 19)} to ${printable(name)}`;
  const url = new URL(location);
  url.searchParams.set('digest', descriptor.digest);
  const response = await registry.send({
    method: 'PUT',
    at: url.href,
    headers: {
      'content-type': 'application/octet-stream',
      'content-length': String(body?.size ?? 0),
    },
    ...(body !== undefined && { body }),
    doing,
    scope: pushScope(name),
    expects: [201, 204],
    once: isOnce,
  });
  await registry.small(response, 65_536, doing);
  const stated = response.headers[CONTENT_DIGEST];
  if (stated !== undefined && stated !== descriptor.digest)
    throw registry.bad(doing, `it kept as ${descriptor.digest}`, printable(stated));
}

/** Best effort: the registry forgets uploads by itself after a while. */
async function cancel(registry: RegistryConnection, { name }: PushRequest, { location }: Upload): Promise<void> {
  const request = { method: 'DELETE', at: location, scope: pushScope(name), expects: [204, 404], once: true } as const;
  await registry.send({ ...request, doing: 'taking back what was begun' }).then(
    (response) => registry.small(response, 65_536, ''),
    () => undefined,
  );
}

function locationOf(registry: RegistryConnection, response: NetworkResponse, doing: string): string {
  const { location } = response.headers;
  if (location === undefined) throw registry.bad(doing, 'an address to send it to', 'none');
  return registry.resolve(location, doing);
}

function wholeBody({ content }: PushRequest): RequestBody {
  return fileBody(content, () => undefined);
}

/**
 * Puts a manifest or an index under a tag or its digest.
 * @returns whether the registry says that it keeps what the manifest refers to (1.1, "Pushing Manifests with Subject")
 */
export async function pushManifest(
  registry: RegistryConnection,
  name: string,
  reference: string,
  { mediaType, digest }: Descriptor,
  bytes: Buffer,
): Promise<boolean> {
  const doing = `sending the manifest ${digest.slice(0, 19)} to ${printable(name)}`;
  const response = await registry.send({
    method: 'PUT',
    at: `/v2/${name}/manifests/${reference}`,
    headers: { 'content-type': mediaType, 'content-length': String(bytes.length) },
    body: { size: bytes.length, pieces: () => [bytes] },
    doing,
    scope: pushScope(name),
    expects: [201],
  });
  await registry.small(response, 65_536, doing);
  const stated = response.headers[CONTENT_DIGEST];
  if (stated !== undefined && stated !== digest) throw registry.bad(doing, `it kept as ${digest}`, printable(stated));
  return response.headers['oci-subject'] !== undefined;
}
