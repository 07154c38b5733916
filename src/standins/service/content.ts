/** Content of a stand-in host, by its digest: received whole or not at all. */
import { createHash } from 'node:crypto';
import { closeSync, openSync, rmSync, writeSync } from 'node:fs';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { digestField, statedDigest } from '../../core/sources/exchange';
import { sendProblem, type HostFaults } from './faults';
import type { HostStore } from './store';

const MOST_BYTES = 16 * 1024 ** 3;

interface Receiving {
  readonly request: IncomingMessage;
  readonly response: ServerResponse;
  readonly sha256: string;
  readonly store: HostStore;
  readonly faults: HostFaults;
}

/** Takes in content under its digest, and refuses what has another. */
export async function receiveContent({ request, response, sha256, store, faults }: Receiving): Promise<void> {
  const path = store.receiving();
  const fd = openSync(path, 'wx');
  const hash = createHash('sha256');
  let size = 0;
  try {
    for await (const piece of request as AsyncIterable<Buffer>) {
      if ((size += piece.length) > MOST_BYTES) {
        sendProblem(response, 413, 'too large');
        return;
      }
      hash.update(piece);
      writeSync(fd, piece);
    }
    const found = faults.fault === 'other-digest' ? '0'.repeat(64) : hash.digest('hex');
    const stated = statedDigest(request.headers['content-digest'] as string | undefined);
    if (faults.fault !== 'other-digest' && (found !== sha256 || (stated !== undefined && stated !== found))) {
      sendProblem(response, 400, 'another digest', `it came to be SHA-256 ${found}`);
      return;
    }
    store.takeIn(path, sha256);
    if (faults.losesAfter(request)) {
      request.socket.destroy();
      return;
    }
    response.writeHead(201, { 'repr-digest': digestField(found) }).end();
    return;
  } finally {
    closeSync(fd);
    rmSync(path, { force: true });
  }
}

/** Answers with content by its digest, or the part of it that is asked for. */
export function sendContent(
  request: IncomingMessage,
  response: ServerResponse,
  sha256: string,
  store: HostStore,
): void {
  request.resume();
  const size = store.contentSize(sha256);
  if (size === undefined) {
    sendProblem(response, 404, 'no content of that digest');
    return;
  }
  response.writeHead(200, {
    'content-type': 'application/octet-stream',
    'content-length': size,
    'repr-digest': digestField(sha256),
  });
  if (request.method === 'HEAD') response.end();
  else store.readContent(sha256).pipe(response);
}
