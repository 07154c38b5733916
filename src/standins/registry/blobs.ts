/** Blobs of the stand-in registry as they are sent: whole, from a place on, or wrong in ways that were asked for. */
import { createReadStream, statSync } from 'node:fs';
import type { ServerResponse } from 'node:http';
import { CONTENT_DIGEST } from '../../core/formats/oci';
import type { FaultState } from './faults';
import { fail, type Exchange } from './exchange';

/** Answers with a blob, or the part of it that is asked for (RFC 9110, 14). */
export function sendBlob(exchange: Exchange, name: string, digest: string): void {
  const { request, response, store, faults } = exchange;
  const path = store.blob(name, digest);
  if (path === undefined) {
    fail(response, 404, 'BLOB_UNKNOWN', 'blob unknown');
    return;
  }
  const { size } = statSync(path);
  if (request.method === 'HEAD') {
    response.writeHead(200, { 'content-length': size, [CONTENT_DIGEST]: digest }).end();
    return;
  }
  if (faults.fault === 'redirects-away' && request.headers.host?.startsWith('127.') === true) {
    // The same registry under another name, which is another host to everybody.
    const location = `http://localhost:${String(request.socket.localPort)}${request.url ?? ''}`;
    response.writeHead(307, { location, 'content-length': 0 }).end();
    return;
  }
  sendContent(exchange, path, size, digest);
}

function sendContent({ request, response, faults }: Exchange, path: string, size: number, digest: string): void {
  const [, from = '0'] = /^bytes=(\d+)-$/.exec(request.headers.range ?? '') ?? [];
  const start = Math.min(Number(from), size);
  const isPart = start > 0 && start < size;
  const length = faults.fault === 'endless-blobs' ? undefined : size - start;
  response.writeHead(isPart ? 206 : 200, {
    ...(length !== undefined && { 'content-length': faults.fault === 'short-blobs' ? Math.floor(length / 2) : length }),
    ...(isPart && { 'content-range': `bytes ${String(start)}-${String(size - 1)}/${String(size)}` }),
    'content-type': 'application/octet-stream',
  });
  streamBlob(response, { path, start, size, digest }, faults);
}

function streamBlob(
  response: ServerResponse,
  {
    path,
    start,
    size,
    digest,
  }: { readonly path: string; readonly start: number; readonly size: number; readonly digest: string },
  faults: FaultState,
): void {
  if (faults.fault === 'endless-blobs') {
    const more = (): void => {
      while (!response.destroyed && response.write(Buffer.alloc(65_536)));
    };
    response.on('drain', more);
    more();
    return;
  }
  if (faults.fault === 'wrong-digest') {
    response.end(Buffer.alloc(size - start, 'x'));
    return;
  }
  const isCut = faults.strikes('cut-downloads', digest);
  const half = faults.fault === 'short-blobs' || isCut ? start + Math.floor((size - start) / 2) : size;
  if (half <= start) {
    if (isCut) response.destroy();
    else response.end();
    return;
  }
  createReadStream(path, { start, end: half - 1 })
    .on('end', () => {
      // Waits until what was sent has left, so that half of it arrives.
      if (isCut) setTimeout(() => response.destroy(), 50);
    })
    .pipe(response, { end: !isCut });
}
