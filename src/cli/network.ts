/** The network of this machine. */
import { readFileSync } from 'node:fs';
import { Agent as HttpAgent, request as httpRequest, type ClientRequest, type IncomingHttpHeaders } from 'node:http';
import { Agent as HttpsAgent, request as httpsRequest } from 'node:https';
import { homedir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import type { Network, NetworkRequest as TransferRequest, NetworkResponse } from '../core/sources';

/** How long a server may be silent. */
const SILENCE_MS = 120_000;

export function systemNetwork(): Network {
  return {
    async request({ url, headers }) {
      const response = await fetch(url, { headers, redirect: 'manual', signal: AbortSignal.timeout(SILENCE_MS * 10) });
      return {
        status: response.status,
        headers: Object.fromEntries(response.headers),
        body: response.body ?? emptyBody(),
      };
    },
    sleep: (ms) => sleep(ms),
    now: () => Date.now(),
  };
}

/**
 * For registries: what is sent goes out as it is read, with its length said before. Nothing is unpacked on the way, since
 * digests are of what was sent.
 */
export function transferNetwork(): Network {
  const agents = { 'http:': new HttpAgent({ keepAlive: true }), 'https:': new HttpsAgent({ keepAlive: true }) };
  return {
    request: (asked) => transfer(asked, agents),
    sleep: (ms) => sleep(ms),
    now: () => Date.now(),
  };
}

function transfer(
  { url, headers, method, body }: TransferRequest,
  agents: { readonly 'http:': HttpAgent; readonly 'https:': HttpsAgent },
): Promise<NetworkResponse> {
  const isPlain = new URL(url).protocol === 'http:';
  const options = {
    method: method ?? 'GET',
    headers,
    agent: agents[isPlain ? 'http:' : 'https:'],
    timeout: SILENCE_MS,
  };
  return new Promise((resolve, reject) => {
    const request = (isPlain ? httpRequest : httpsRequest)(url, options, (response) => {
      resolve({ status: response.statusCode ?? 0, headers: plainHeaders(response.headers), body: response });
    });
    request.on('timeout', () => request.destroy(new Error('the server has been silent for too long')));
    request.on('error', reject);
    if (body === undefined) request.end();
    else sendBody(body, request).catch((error: unknown) => request.destroy(error instanceof Error ? error : undefined));
  });
}

async function sendBody(body: NonNullable<TransferRequest['body']>, request: ClientRequest): Promise<void> {
  for await (const piece of body.pieces()) {
    if (request.destroyed) return;
    if (!request.write(piece))
      await new Promise<void>((resolve) => {
        const done = (): void => {
          request.off('drain', done).off('close', done);
          resolve();
        };
        request.on('drain', done).on('close', done);
      });
  }
  request.end();
}

function plainHeaders(headers: IncomingHttpHeaders): Record<string, string> {
  return Object.fromEntries(
    Object.entries(headers).flatMap(([name, value]) =>
      value === undefined ? [] : [[name, Array.isArray(value) ? value.join(', ') : value]],
    ),
  );
}

/**
 * Logins for registries: the file that REGISTRY_AUTH_FILE names, or those of the places where engines keep them
 * (containers-auth.json(5) and its kin).
 */
export function registryAuthFiles(): { readonly text: string; readonly shown: string }[] {
  const named = process.env.REGISTRY_AUTH_FILE;
  const runtime = process.env.XDG_RUNTIME_DIR;
  const config = process.env.XDG_CONFIG_HOME ?? join(homedir(), '.config');
  const paths =
    named === undefined
      ? [
          ...(runtime === undefined ? [] : [join(runtime, 'containers/auth.json')]),
          join(config, 'containers/auth.json'),
          join(process.env.DOCKER_CONFIG ?? join(homedir(), '.docker'), 'config.json'),
        ]
      : [named];
  return paths.flatMap((path) => {
    try {
      return [{ text: readFileSync(path, 'utf8'), shown: path }];
    } catch {
      return [];
    }
  });
}

// eslint-disable-next-line @typescript-eslint/require-await
async function* emptyBody(): AsyncGenerator<Uint8Array> {
  yield new Uint8Array(0);
}
