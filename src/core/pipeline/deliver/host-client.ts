/** Speaks the protocol of hosts: what stands there, calls, logs. */
import { z } from 'zod';
import { EmballageError } from '../../base/errors';
import { present } from '../../base/present';
import { writeExact, type CloudEvent } from '../../events';
import { bad, shownUrl, type Exchange } from '../../sources/exchange';
import type { NetworkResponse } from '../../sources';
import {
  callTold,
  functionTold,
  logTold,
  PREFIX,
  type CallTold,
  type FunctionStatus,
  type LogResult,
} from './protocol';

const MOST_BYTES = 64 * 1024 * 1024;

export interface LogWanted {
  /** RFC 3339. */
  readonly since?: string;
  readonly run?: string;
  /** Where the last answer ended. */
  readonly after?: number;
}

export class HostClient {
  readonly address: string;
  readonly exchange: Exchange;

  constructor(address: string, exchange: Exchange) {
    this.address = address;
    this.exchange = exchange;
  }

  /** Undefined where the host knows no function of that name. */
  async standing(name: string, doing: string): Promise<FunctionStatus | undefined> {
    const url = this.urlOf(name);
    const response = await this.exchange.send({ url, doing, expects: [200, 404] });
    if (response.status !== 404) return this.read(response, { doing, url, schema: functionTold });
    await this.exchange.small(response, doing, url);
    return undefined;
  }

  async call(name: string, event: { readonly name: string; readonly event: CloudEvent }): Promise<CallTold> {
    const doing = `calling ${name} at the host`;
    const url = `${this.urlOf(name)}/calls`;
    const bytes = Buffer.from(writeExact(event));
    const response = await this.exchange.send({
      url,
      method: 'POST',
      doing,
      expects: [200, 404],
      once: true,
      headers: { 'content-type': 'application/json', 'content-length': String(bytes.length) },
      body: { size: bytes.length, pieces: () => [bytes] },
    });
    await this.#mustStand(response, name, doing);
    return this.read(response, { doing, url, schema: callTold });
  }

  async log(name: string, { since, run, after }: LogWanted): Promise<LogResult> {
    const doing = `reading the log of ${name} at the host`;
    const wanted = present({ since, run, after: after?.toString() });
    const query = new URLSearchParams(wanted as Record<string, string>);
    const url = `${this.urlOf(name)}/log?${query.toString()}`;
    const response = await this.exchange.send({ url, doing, expects: [200, 404] });
    await this.#mustStand(response, name, doing);
    return this.read(response, { doing, url, schema: logTold });
  }

  async #mustStand(response: NetworkResponse, name: string, doing: string): Promise<void> {
    if (response.status !== 404) return;
    await this.exchange.small(response, doing, this.address);
    throw new EmballageError('DELIVERY_GONE', {
      doing,
      where: shownUrl(this.address),
      expected: `${name} to stand there`,
      found: 'no function of that name',
      mend: `send it first: \`emballage send ${name}\``,
    });
  }

  urlOf(name: string): string {
    return `${this.address}${PREFIX}/functions/${encodeURIComponent(name)}`;
  }

  contentUrl(sha256: string): string {
    return `${this.address}${PREFIX}/content/sha256/${sha256}`;
  }

  /** JSON of a shape. @throws EmballageError DELIVERY_INVALID */
  async read<T>(
    response: NetworkResponse,
    { doing, url, schema }: { readonly doing: string; readonly url: string; readonly schema: z.ZodType<T> },
  ): Promise<T> {
    const bytes = await this.exchange.small(response, doing, url, MOST_BYTES);
    const isPage =
      /\bhtml\b/.test(response.headers['content-type'] ?? '') || /^\s*</.test(bytes.toString('latin1', 0, 64));
    const expected = 'an answer as the protocol of hosts has it';
    if (isPage) throw bad(doing, url, expected, 'a page for people');
    let value: unknown;
    try {
      value = JSON.parse(bytes.toString('utf8'));
    } catch (error) {
      throw bad(doing, url, expected, 'no JSON', error);
    }
    const read = schema.safeParse(value);
    if (read.success) return read.data;
    const path = read.error.issues[0]?.path.map(String).join('.') ?? '';
    throw bad(doing, url, expected, path === '' ? 'something else' : `\`${path}\`, which is not so`);
  }
}
