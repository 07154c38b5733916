/**
 * Asking the network, and asking again: only what the network failed at is repeated. What our own code does wrong on the
 * way (reading what is sent, writing what comes) is told at once and as it is.
 */
import { EmballageError, messageOf } from '../base/errors';
import type { Network, NetworkRequest, NetworkResponse, RequestBody } from './network';

const FIRST_PAUSE_MS = 250;
const LONGEST_PAUSE_MS = 30_000;
/** A body that drips is given up on: one of which fewer bytes come in such a time. */
const WINDOW_MS = 30_000;
const LEAST_BYTES = 8 * 1024;
/** After so many attempts that took the time that there is, nothing is tried again. */
const SLOW_ATTEMPTS = 2;
/** Bodies that nobody wants are read as far as this, so that their connection can be used again. */
const MAX_DRAINED_BYTES = 64 * 1024;

interface FaultFacts {
  readonly cause?: unknown;
  readonly pauseMs?: number | undefined;
  readonly status?: number;
  readonly isFinal?: boolean;
  readonly isSlow?: boolean;
}

/** What the network failed at; it may be gone in a moment. */
export class NetworkFault extends Error {
  /** How long the server asked to be left alone, milliseconds. */
  readonly pauseMs: number | undefined;
  /** The status of an answer that may be another in a moment; undefined where none came. */
  readonly status: number | undefined;
  /** Nothing will be different in a moment: it is not tried again. */
  readonly isFinal: boolean;
  /** It took the time that there is: once more may help, to go on so does not. */
  readonly isSlow: boolean;

  constructor(message: string, { cause, pauseMs, status, isFinal = false, isSlow = false }: FaultFacts = {}) {
    super(message, { cause });
    this.pauseMs = pauseMs;
    this.status = status;
    this.isFinal = isFinal;
    this.isSlow = isSlow;
  }
}

/** One request. @throws NetworkFault, and whatever reading the body that is sent throws */
export async function ask(network: Network, request: NetworkRequest): Promise<NetworkResponse> {
  const sent = request.body === undefined ? undefined : watched(request.body);
  try {
    const response = await network.request({ ...request, ...(sent !== undefined && { body: sent.body }) });
    return { ...response, body: bodyOf(response, () => network.now()) };
  } catch (error) {
    const own = sent?.fault();
    throw own === undefined ? faultOf(error) : own.error;
  }
}

/** The body that is sent, and what our own reading of it threw. */
function watched(body: RequestBody): { readonly body: RequestBody; fault(): { readonly error: unknown } | undefined } {
  let fault: { readonly error: unknown } | undefined;
  const pieces = function* (): Generator<Uint8Array> {
    const own = mine(() => body.pieces()[Symbol.iterator]());
    try {
      for (;;) {
        const next = mine(() => own.next());
        if (next.done === true) return;
        // What is thrown in here is the connection that broke.
        yield next.value;
      }
    } finally {
      own.return?.();
    }
  };
  const mine = <T>(work: () => T): T => {
    try {
      return work();
    } catch (error) {
      fault = { error };
      throw error;
    }
  };
  return { body: { size: body.size, pieces }, fault: () => fault };
}

async function* bodyOf(response: NetworkResponse, now: () => number): AsyncGenerator<Uint8Array> {
  const pieces = response.body[Symbol.asyncIterator]();
  const notice = flowWatch(now);
  try {
    for (;;) {
      const next = await pieces.next().catch((error: unknown) => {
        throw faultOf(error);
      });
      if (next.done === true) return;
      notice(next.value.length);
      // What whoever takes it throws does not come by here.
      yield next.value;
    }
  } finally {
    // Left early: the rest is not wanted, and whether it could be had says nothing.
    await pieces.return?.().catch(() => undefined);
  }
}

/** Told of each piece that comes. @returns what throws a NetworkFault once too little came in its time */
function flowWatch(now: () => number): (bytes: number) => void {
  let since = now();
  let came = 0;
  return (bytes) => {
    came += bytes;
    if (now() - since <= WINDOW_MS) return;
    if (came < LEAST_BYTES)
      throw new NetworkFault(`the server sent ${String(came)} bytes in half a minute`, { isSlow: true });
    since = now();
    came = 0;
  };
}

/** What settings of ours are wrong stays what it is. */
function faultOf(error: unknown): NetworkFault | EmballageError {
  if (error instanceof NetworkFault || error instanceof EmballageError) return error;
  const code = typeof error === 'object' && error !== null && 'code' in error ? String(error.code) : '';
  return new NetworkFault(messageOf(error) || code, { cause: error });
}

/** Whether a status is one that may be another in a moment (RFC 9110, 15.6; RFC 6585, 4). */
export function isTransient(status: number): boolean {
  return status >= 500 || status === 429 || status === 408;
}

/** An answer with such a status, as what the network failed at. */
export async function transientFault(response: NetworkResponse): Promise<NetworkFault> {
  await drain(response);
  const { status } = response;
  return new NetworkFault(`status ${String(status)}`, { pauseMs: pauseAskedFor(response), status });
}

/** Seconds, or a date (RFC 9110, 10.2.3); only seconds are of use without asking a clock. */
function pauseAskedFor({ headers }: Pick<NetworkResponse, 'headers'>): number | undefined {
  const seconds = Number(headers['retry-after'] ?? '');
  return seconds > 0 ? seconds * 1000 : undefined;
}

/** Waits before the next attempt: longer each time, or as long as was asked for. @param attempt counting from 1 */
export function pauseBefore(network: Network, attempt: number, askedMs?: number): Promise<void> {
  return network.sleep(Math.min(LONGEST_PAUSE_MS, askedMs ?? FIRST_PAUSE_MS * 2 ** (attempt - 1)));
}

export interface Retrying {
  readonly network: Network;
  readonly attempts: number;
  /** What is thrown after the last attempt. */
  readonly onGivenUp: (fault: NetworkFault, attempts: number) => unknown;
}

/** Does something until the network does not fail at it. @param attempt may throw a NetworkFault to be tried again */
export async function withRetries<T>(
  { network, attempts, onGivenUp }: Retrying,
  attempt: () => Promise<T>,
): Promise<T> {
  for (let i = 1; ; i++) {
    try {
      return await attempt();
    } catch (error) {
      if (!(error instanceof NetworkFault)) throw error;
      const isOver = i >= attempts || error.isFinal || (error.isSlow && i >= SLOW_ATTEMPTS);
      if (isOver) throw onGivenUp(error, i);
      await pauseBefore(network, i, error.pauseMs);
    }
  }
}

/** Reads a body that nobody wants. What it says does not matter, and neither does whether it comes whole. */
export async function drain({ body }: Pick<NetworkResponse, 'body'>): Promise<void> {
  let length = 0;
  try {
    for await (const chunk of body) if ((length += chunk.length) > MAX_DRAINED_BYTES) break;
  } catch {
    // It broke off.
  }
}
