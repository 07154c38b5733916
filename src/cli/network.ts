/** The network of this machine: one client for everything, with the proxies that the environment names. */
import { pipeline, Readable } from 'node:stream';
import { setTimeout as sleep } from 'node:timers/promises';
import { createGunzip } from 'node:zlib';
import { EnvHttpProxyAgent, errors, request, type Dispatcher } from 'undici';
import type { Network, NetworkRequest, NetworkResponse } from '../core/sources';

/** How long a server may be silent: before it answers, and between two pieces of an answer. */
const SILENCE_MS = 120_000;
const CONNECT_MS = 30_000;
/** This machine is asked without a proxy. */
const OWN_HOSTS = 'localhost,127.0.0.1,::1';

let client: Dispatcher | undefined;

/** Made when something is asked for: the client is large. */
function dispatcher(): Dispatcher {
  client ??= new EnvHttpProxyAgent({
    headersTimeout: SILENCE_MS,
    bodyTimeout: SILENCE_MS,
    connect: { timeout: CONNECT_MS },
    noProxy: [process.env.no_proxy ?? process.env.NO_PROXY ?? '', OWN_HOSTS].filter((one) => one !== '').join(','),
  });
  return client;
}

/** The network, as the core asks for it. */
export function systemNetwork(): Network {
  return {
    request: transfer,
    sleep: (ms) => sleep(ms),
    now: () => Date.now(),
  };
}

/** What is sent goes out as it is read, with its length said before. */
async function transfer({ url, headers, method, body }: NetworkRequest): Promise<NetworkResponse> {
  const sent = body === undefined ? null : Readable.from(body.pieces(), { objectMode: false });
  try {
    const answer = await request(url, { method: method ?? 'GET', headers, body: sent, dispatcher: dispatcher() });
    const plain = plainHeaders(answer.headers);
    const isPacked = plain['content-encoding'] === 'gzip' && headers['accept-encoding'] === 'gzip';
    return { status: answer.statusCode, headers: plain, body: told(isPacked ? unpacked(answer.body) : answer.body) };
  } catch (error) {
    throw inWords(error);
  }
}

/** Errors of either come out at the end. */
function unpacked(body: Readable): Readable {
  return pipeline(body, createGunzip(), () => undefined);
}

async function* told(body: Readable): AsyncGenerator<Uint8Array> {
  try {
    for await (const piece of body) yield piece as Uint8Array;
  } catch (error) {
    throw inWords(error);
  }
}

/** What the client says in the words of programs, as people would. */
function inWords(error: unknown): unknown {
  if (error instanceof errors.HeadersTimeoutError || error instanceof errors.BodyTimeoutError)
    return new Error('the server has been silent for too long', { cause: error });
  if (error instanceof errors.ConnectTimeoutError) return new Error('no connection in half a minute', { cause: error });
  const code = typeof error === 'object' && error !== null && 'code' in error ? error.code : undefined;
  return code === 'ECONNREFUSED' ? new Error('nobody listening there', { cause: error }) : error;
}

function plainHeaders(headers: Readonly<Record<string, string | string[] | undefined>>): Record<string, string> {
  return Object.fromEntries(
    Object.entries(headers).flatMap(([name, value]) =>
      value === undefined ? [] : [[name, Array.isArray(value) ? value.join(', ') : value]],
    ),
  );
}
