/** Pulls manifests and blobs (OCI distribution specification 1.1, "Pull"): each verified against its digest before use. */
import { createHash, type Hash } from 'node:crypto';
import { closeSync, mkdirSync, openSync, readSync, rmSync, statSync } from 'node:fs';
import { dirname } from 'node:path';
import { EmballageError } from '../../base/errors';
import { printable } from '../../base/text';
import { formatSize } from '../../base/units';
import { contentDigest } from '../../disk/digest';
import { guarded, writeAll } from '../../disk/write';
import {
  ACCEPT_MANIFEST,
  CONTENT_DIGEST,
  hexOf,
  isIndexType,
  isManifestType,
  MAX_MANIFEST_BYTES,
  type Descriptor,
} from '../../formats/oci';
import { NetworkFault } from '../attempts';
import type { NetworkResponse } from '../network';
import type { RegistryConnection } from './connection';

export interface PulledManifest {
  /** As its own digest has it, which has been verified. */
  readonly descriptor: Descriptor;
  readonly bytes: Buffer;
}

/** What a token has to allow to read from a repository. */
export function pullScope(name: string): string {
  return `repository:${name}:pull`;
}

/**
 * @param reference a tag or a digest
 * @returns undefined where there is none
 */
export async function pullManifest(
  registry: RegistryConnection,
  name: string,
  reference: string,
  { scope = pullScope(name), verb = 'fetching' }: { readonly scope?: string; readonly verb?: string } = {},
): Promise<PulledManifest | undefined> {
  const doing = `${verb} ${printable(name)}${reference.startsWith('sha256:') ? '@' : ':'}${printable(reference)}`;
  const response = await registry.send({
    at: `/v2/${name}/manifests/${reference}`,
    headers: { accept: ACCEPT_MANIFEST },
    doing,
    scope,
    expects: [200, 404],
  });
  const bytes = await registry.small(response, MAX_MANIFEST_BYTES, doing);
  if (response.status === 404) return undefined;
  const digest = `sha256:${contentDigest(bytes)}`;
  const stated = reference.startsWith('sha256:') ? reference : response.headers[CONTENT_DIGEST];
  if (stated?.startsWith('sha256:') === true && stated !== digest) throw mismatch(registry, doing, stated, digest);
  const mediaType = typeOf(bytes, response);
  if (!isManifestType(mediaType) && !isIndexType(mediaType))
    throw registry.bad(doing, 'an image manifest or index', `\`${printable(mediaType)}\``);
  return { descriptor: { mediaType, digest, size: bytes.length }, bytes };
}

/** What the document itself says counts more than the header. */
function typeOf(bytes: Buffer, response: NetworkResponse): string {
  const [, own] = /"mediaType"\s*:\s*"([^"]+)"/.exec(topLevel(bytes)) ?? [];
  return own ?? (response.headers['content-type'] ?? '').split(';')[0]?.trim() ?? '';
}

/** The `mediaType` of the document, not that of a descriptor in it. */
function topLevel(bytes: Buffer): string {
  try {
    const { mediaType } = JSON.parse(bytes.toString('utf8')) as { mediaType?: unknown };
    return typeof mediaType === 'string' ? JSON.stringify({ mediaType }) : '';
  } catch {
    return '';
  }
}

export interface BlobTarget {
  /** Absolute path of the file; what a run before has written there is gone on with. */
  readonly path: string;
  /** Told how many bytes are here. */
  readonly onProgress?: (bytes: number) => void;
}

/** How often fetching goes on where it was cut off, as long as something comes. */
const MAX_CUTS = 50;
const MAX_EMPTY_CUTS = 4;

/**
 * Fetches a blob into a file, going on from what a run before left there. When it returns, the file has the digest of the
 * descriptor. Of content with another one nothing is left; where the connection breaks off for good, what came stays.
 * @throws EmballageError SOURCE_MISMATCH for other content, REGISTRY_UNREACHABLE where it broke off
 */
export async function pullBlob(
  registry: RegistryConnection,
  name: string,
  descriptor: Descriptor,
  { path, onProgress }: BlobTarget,
): Promise<void> {
  guarded(path, () => mkdirSync(dirname(path), { recursive: true }));
  const doing = `fetching ${printable(descriptor.digest.slice(0, 19))} of ${printable(name)}`;
  let empty = 0;
  for (let cut = 0; ; cut++) {
    const before = statSync(path, { throwIfNoEntry: false })?.size ?? 0;
    try {
      await pullRest(registry, name, descriptor, { path, doing, onProgress });
      return;
    } catch (error) {
      const after = statSync(path, { throwIfNoEntry: false })?.size ?? 0;
      empty = after > before ? 0 : empty + 1;
      if (!(error instanceof NetworkFault)) throw error;
      if (cut >= MAX_CUTS || empty >= MAX_EMPTY_CUTS) throw brokeOff(registry, doing, after, error);
      await registry.pause(empty + 1);
    }
  }
}

async function pullRest(
  registry: RegistryConnection,
  name: string,
  { digest, size }: Descriptor,
  {
    path,
    doing,
    onProgress,
  }: Omit<BlobTarget, 'onProgress'> & {
    readonly doing: string;
    readonly onProgress: BlobTarget['onProgress'] | undefined;
  },
): Promise<void> {
  const fd = guarded(path, () => openSync(path, 'a+', 0o644));
  let isGone = false;
  try {
    const { hash, length } = whatIsHere(fd);
    const at = length > size ? 0 : length;
    if (at < size || size === 0) {
      const take = (part: Uint8Array): void => {
        hash.update(part);
        guarded(path, () => writeAll(fd, part, null));
      };
      isGone = await takeRest(registry, { at, name, digest, size, doing, take, onProgress });
      if (isGone) throw mismatch(registry, doing, formatSize(size), 'more than that');
    }
    const found = hash.digest('hex');
    if (found === hexOf(digest)) return;
    isGone = true;
    throw mismatch(registry, doing, digest, `sha256:${found}`);
  } finally {
    closeSync(fd);
    if (isGone) rmSync(path, { force: true });
  }
}

/** @returns whether more comes than there should be */
async function takeRest(
  registry: RegistryConnection,
  { at, name, digest, size, doing, take, onProgress }: Rest,
): Promise<boolean> {
  const response = await registry.send({
    at: `/v2/${name}/blobs/${digest}`,
    headers: at > 0 ? { range: `bytes=${String(at)}-` } : {},
    doing,
    scope: pullScope(name),
    expects: [200, 206],
  });
  // A server without ranges sends all of it again; what is here already need not be written.
  const isRest = response.status === 206 && rangeStart(response) === at;
  if (response.status === 206 && !isRest) throw registry.bad(doing, `bytes from ${String(at)} on`, 'others');
  let skip = isRest ? 0 : at;
  let here = at;
  for await (const chunk of response.body) {
    const part = chunk.subarray(Math.min(skip, chunk.length));
    skip -= chunk.length - part.length;
    if (here + part.length > size) return true;
    take(part);
    here += part.length;
    onProgress?.(here);
  }
  if (here < size) throw new NetworkFault(`the answer broke off after ${String(here)} of ${String(size)} bytes`);
  return false;
}

interface Rest extends Pick<Descriptor, 'digest' | 'size'> {
  /** Bytes that are here already. */
  readonly at: number;
  readonly name: string;
  readonly doing: string;
  readonly take: (part: Uint8Array) => void;
  readonly onProgress: BlobTarget['onProgress'] | undefined;
}

/** The digest of what was written before, to go on with. */
function whatIsHere(fd: number): { hash: Hash; length: number } {
  const hash = createHash('sha256');
  const piece = Buffer.allocUnsafe(1024 * 1024);
  let length = 0;
  for (let n = readSync(fd, piece, 0, piece.length, 0); n > 0; n = readSync(fd, piece, 0, piece.length, length)) {
    hash.update(piece.subarray(0, n));
    length += n;
  }
  return { hash, length };
}

function rangeStart(response: NetworkResponse): number | undefined {
  const [, start] = /^bytes (\d+)-/.exec(response.headers['content-range'] ?? '') ?? [];
  return start === undefined ? undefined : Number(start);
}

function brokeOff(registry: RegistryConnection, doing: string, length: number, fault: NetworkFault): EmballageError {
  return new EmballageError(
    'REGISTRY_UNREACHABLE',
    {
      doing,
      where: printable(registry.host),
      expected: 'the whole blob',
      found: `${printable(fault.message)}; ${formatSize(length)} are here`,
      mend: 'run the command again: it goes on from there',
    },
    fault,
  );
}

function mismatch(registry: RegistryConnection, doing: string, expected: string, found: string): EmballageError {
  return new EmballageError('SOURCE_MISMATCH', {
    doing,
    where: printable(registry.host),
    expected: printable(expected),
    found: printable(found),
    mend: 'find out why the registry sends something else before you trust it',
  });
}
