/** Uploads to the stand-in registry: whole, in pieces, by mounting; what has arrived stays until it is finished. */
import type { ServerResponse } from 'node:http';
import { CONTENT_DIGEST } from '../../core/formats/oci';
import { fail, type Exchange } from './exchange';

/** @param id of the upload; '' to begin one */
export async function receiveUpload(exchange: Exchange, name: string, id: string): Promise<void> {
  const { request, response, store } = exchange;
  if (request.method === 'POST') begin(exchange, name);
  else if (store.uploaded(id) === undefined) {
    request.resume();
    fail(response, 404, 'BLOB_UPLOAD_UNKNOWN', 'blob upload unknown to registry');
  } else if (request.method === 'GET') status(response, exchange, name, id, 204);
  else if (request.method === 'DELETE') {
    store.cancelUpload(id);
    response.writeHead(204).end();
  } else if (request.method === 'PATCH') await patch(exchange, name, id);
  else await finish(exchange, name, id);
}

function begin({ response, url, store, request }: Exchange, name: string): void {
  request.resume();
  const [digest, from] = [url.searchParams.get('mount'), url.searchParams.get('from')];
  if (digest !== null && from !== null && store.mount(name, digest, from)) {
    response
      .writeHead(201, { location: `/v2/${name}/blobs/${digest}`, [CONTENT_DIGEST]: digest, 'content-length': 0 })
      .end();
    return;
  }
  const id = store.beginUpload();
  response.writeHead(202, { location: `/v2/${name}/blobs/uploads/${id}`, range: '0-0', 'content-length': 0 }).end();
}

function status(response: ServerResponse, { store }: Exchange, name: string, id: string, code: number): void {
  const size = store.uploaded(id) ?? 0;
  response
    .writeHead(code, {
      location: `/v2/${name}/blobs/uploads/${id}`,
      range: `0-${String(Math.max(0, size - 1))}`,
      'content-length': 0,
    })
    .end();
}

async function patch(exchange: Exchange, name: string, id: string): Promise<void> {
  const { request, response, store } = exchange;
  const [, start] = /^(\d+)-\d+$/.exec(request.headers['content-range'] ?? '') ?? [];
  if (start !== undefined && Number(start) !== store.uploaded(id)) {
    request.resume();
    status(response, exchange, name, id, 416);
    return;
  }
  if (await receive(exchange, id)) status(response, exchange, name, id, 202);
}

/** @returns false when the connection was cut on purpose */
async function receive({ request, store, faults }: Exchange, id: string): Promise<boolean> {
  const announced = Number(request.headers['content-length'] ?? 0);
  const isCut = announced > 0 && faults.strikes('cut-uploads', id);
  let length = 0;
  for await (const chunk of request) {
    const bytes = chunk as Uint8Array;
    store.append(id, isCut ? bytes.subarray(0, Math.max(0, Math.floor(announced / 2) - length)) : bytes);
    length += bytes.length;
    if (isCut && length >= announced / 2) {
      if (faults.strikes('forgets-uploads', 'upload')) store.cancelUpload(id);
      request.socket.destroy();
      return false;
    }
  }
  if (faults.strikes('forgets-uploads', 'upload')) {
    store.cancelUpload(id);
    request.socket.destroy();
    return false;
  }
  return true;
}

async function finish(exchange: Exchange, name: string, id: string): Promise<void> {
  const { response, url, store } = exchange;
  if (!(await receive(exchange, id))) return;
  const digest = url.searchParams.get('digest') ?? '';
  if (!store.finishUpload(id, name, digest)) {
    fail(response, 400, 'DIGEST_INVALID', 'provided digest did not match uploaded content');
    return;
  }
  response
    .writeHead(201, { location: `/v2/${name}/blobs/${digest}`, [CONTENT_DIGEST]: digest, 'content-length': 0 })
    .end();
}
