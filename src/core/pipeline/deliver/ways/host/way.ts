/** Delivers to a host of functions: content by its digest, then a version of it, then that it is the current one. */
import { exchangeWith, type ByHttp } from '../by-http';
import type { DeliveryWorld } from '../way';
import { EmballageError } from '../../../../base/errors';
import { printable } from '../../../../base/text';
import { contentDigest } from '../../../../disk/digest';
import { bad, digestField, type ExchangeRequest } from '../../../../sources/exchange';
import { fileBody, type NetworkResponse } from '../../../../sources';
import { HostClient } from '../../host-client';
import type { Delivery } from '../../ledger';
import { configurationDigest, digestOfAll, type Payload } from '../../payload';
import type { FunctionStatus, VersionText } from '../../protocol';
import { bringer, fetchFiles, type FileToFetch } from '../fetch-files';
import { filesOf, paperDrifts, sentBlob, type FileToSend } from '../files';
import { driftsOf } from './drifts';
import {
  NOTHING_LEFT,
  type Drift,
  type Fetched,
  type FetchWanted,
  type DeliveryStatus,
  type Placed,
  type SendOptions,
  type SentBlob,
  type TakenBack,
  type Way,
} from '../way';

const JSON_TYPE = { 'content-type': 'application/json' };

export class HostWay implements Way {
  readonly name = 'host';
  readonly isTold = true;
  readonly at: string;
  readonly #client: HostClient;
  readonly #now: () => number;

  /** @param now milliseconds since 1970 */
  constructor(client: HostClient, now: () => number) {
    this.#client = client;
    this.at = client.address;
    this.#now = now;
  }

  async look(payload: Payload, last: Delivery | undefined): Promise<DeliveryStatus> {
    const there = await this.#client.standing(payload.name, `asking what stands of ${payload.name}`);
    const papers = paperDrifts(payload, last).map((one) => ({ ...one, isCode: true }));
    const drifts = [...driftsOf(payload, there?.current?.told), ...papers];
    const isCode = drifts.some(({ isCode: code }) => code);
    const isSet = drifts.some(({ isCode: code }) => !code);
    const what = isCode ? (isSet ? 'both' : 'code') : isSet ? 'settings' : 'nothing';
    return {
      what,
      drifts: drifts.map(({ what: of, here, there: other }) => ({ what: of, here, there: other })),
      seen: there,
    };
  }

  async send(payload: Payload, look: DeliveryStatus, { onProgress }: SendOptions): Promise<Placed> {
    const before = look.seen as FunctionStatus | undefined;
    if (look.what === 'nothing') return this.#placed(payload, before, []);
    const blobs = await this.#sendContent(payload, look, onProgress);
    const version = this.#versionName(payload);
    const doing = `sending ${payload.name}`;
    await this.#putJson(`${this.#client.urlOf(payload.name)}/versions/${version}`, versionOf(payload), doing);
    await this.#makeCurrent(payload.name, version, before?.current?.version);
    const after = await this.#client.standing(payload.name, `asking what stands of ${payload.name} now`);
    const left = driftsOf(payload, after?.current?.told);
    if (left[0] !== undefined || after?.current?.version !== version)
      throw notAsSent(
        doing,
        this.at,
        left[0] ?? { what: 'version', here: version, there: after?.current?.version ?? 'none' },
      );
    return this.#placed(payload, after, blobs);
  }

  fetch(delivery: Delivery, wanted: FetchWanted): Promise<Fetched> {
    const doing = `fetching ${delivery.function} from ${delivery.destination}`;
    const urlOf = ({ sha256 = '' }: FileToFetch): string => this.#client.contentUrl(sha256);
    return fetchFiles(delivery, wanted, bringer(this.#client.exchange, doing, urlOf));
  }

  /** The version before becomes current again, where that was current; then it goes. */
  async takeBack(delivery: Delivery, others: readonly Delivery[]): Promise<TakenBack> {
    const { function: name, version = '' } = delivery;
    const there = await this.#client.standing(name, `asking what stands of ${name}`);
    if (!there?.versions.some((one) => one.version === version)) return NOTHING_LEFT;
    const url = this.#client.urlOf(name);
    if (there.current?.version !== version) {
      await this.#delete(`${url}/versions/${version}`, name);
      return {
        ...NOTHING_LEFT,
        deleted: [version],
        ...(there.current !== undefined && { current: there.current.version }),
      };
    }
    const before = others.map((one) => one.version).findLast((one) => there.versions.some((is) => is.version === one));
    if (before === undefined) {
      await this.#delete(url, name);
      return { ...NOTHING_LEFT, deleted: there.versions.map((one) => one.version) };
    }
    await this.#makeCurrent(name, before, version);
    await this.#delete(`${url}/versions/${version}`, name);
    return { ...NOTHING_LEFT, deleted: [version], current: before };
  }

  async #sendContent(
    payload: Payload,
    look: DeliveryStatus,
    onProgress: SendOptions['onProgress'],
  ): Promise<SentBlob[]> {
    if (look.what === 'settings') return [];
    const files = filesOf(payload);
    const total = files.reduce((sum, { size }) => sum + size, 0);
    const blobs: SentBlob[] = [];
    let done = 0;
    for (const file of files) {
      const how = await this.#putContent(payload.name, file, (bytes) => onProgress(done + bytes, total));
      done += file.size;
      blobs.push(sentBlob(file, how));
    }
    return blobs;
  }

  async #putContent(name: string, file: FileToSend, onSent: (bytes: number) => void): Promise<'there' | 'sent'> {
    const url = this.#client.contentUrl(file.sha256);
    const doing = `sending the ${file.name} of ${name}`;
    const head = await this.#ask({ url, method: 'HEAD', doing, expects: [200, 404] });
    if (head.status === 200 && Number(head.headers['content-length']) === file.size) return 'there';
    const response = await this.#ask({
      url,
      method: 'PUT',
      doing,
      expects: [200, 201, 204],
      body: fileBody({ path: file.path, at: 0, size: file.size }, onSent),
      headers: {
        'content-type': 'application/octet-stream',
        'content-length': String(file.size),
        'content-digest': digestField(file.sha256),
      },
    });
    const stated = response.headers['repr-digest'];
    if (stated !== undefined && stated !== digestField(file.sha256))
      throw bad(doing, url, `it kept as ${digestField(file.sha256)}`, printable(stated));
    return 'sent';
  }

  /** Only where what was current when we looked still is (RFC 9110, 13.1.1). */
  async #makeCurrent(name: string, version: string, before: string | undefined): Promise<void> {
    const url = `${this.#client.urlOf(name)}/current`;
    const doing = `making version ${version} of ${name} the current one`;
    const only = before === undefined ? { 'if-none-match': '*' } : { 'if-match': `"${before}"` };
    const response = await this.#putJson(url, { version }, doing, only, [412]);
    if (response.status !== 412) return;
    throw new EmballageError('DELIVERY_REFUSED', {
      doing,
      where: printable(this.at),
      expected: before === undefined ? 'nothing current there' : `version ${before} to be current still`,
      found: 'another, which somebody else has sent meanwhile',
      mend: 'see what they sent (`emballage ledger`), then run the command again',
    });
  }

  #putJson(
    url: string,
    value: object,
    doing: string,
    headers: Readonly<Record<string, string>> = {},
    more: readonly number[] = [],
  ): Promise<NetworkResponse> {
    const bytes = Buffer.from(JSON.stringify(value));
    return this.#ask({
      url,
      method: 'PUT',
      doing,
      expects: [200, 201, 204, ...more],
      headers: { ...JSON_TYPE, ...headers, 'content-length': String(bytes.length) },
      body: { size: bytes.length, pieces: () => [bytes] },
    });
  }

  async #delete(url: string, name: string): Promise<void> {
    await this.#ask({ url, method: 'DELETE', doing: `recalling ${name}`, expects: [200, 204, 404] });
  }

  async #ask(request: ExchangeRequest): Promise<NetworkResponse> {
    const response = await this.#client.exchange.send(request);
    await this.#client.exchange.small(response, request.doing, request.url);
    return response;
  }

  /** By time, so that they stand in order; and by what it is, so that two senders at one moment do not meet. */
  #versionName({ parts, configuration }: Payload): string {
    const time = new Date(this.#now()).toISOString().replace(/[-:.Z]/g, '');
    const own = contentDigest(`${digestOfAll(parts)} ${configurationDigest(configuration)}`);
    return `${time}-${own.slice(0, 6)}`;
  }

  #placed(payload: Payload, there: FunctionStatus | undefined, blobs: readonly SentBlob[]): Placed {
    const location = there?.address ?? this.#client.urlOf(payload.name);
    return {
      digest: digestOfAll(payload.parts),
      locations: Object.fromEntries(payload.parts.map(({ arch }) => [arch, location])),
      ...(payload.beside.length > 0 && {
        beside: Object.fromEntries(
          payload.beside.map(({ name, sha256 }) => [
            name,
            { digest: `sha256:${sha256}`, location: this.#client.contentUrl(sha256) },
          ]),
        ),
      }),
      ...(there?.current !== undefined && { version: there.current.version }),
      blobs,
    };
  }
}

function versionOf({ form, parts, beside, configuration }: Payload): VersionText {
  const { runtime, entry, loads, memoryBytes, timeoutMs, adapter, shape, settings, secrets, held } = configuration;
  return {
    form: form.id,
    artifacts: Object.fromEntries(
      parts.map(({ arch, sha256, size, waybill }) => [arch, { sha256, size, waybill: waybill.sha256 }]),
    ),
    beside: Object.fromEntries(beside.map(({ name, sha256, size, setting }) => [name, { sha256, size, setting }])),
    runtime,
    entry,
    loads,
    memory: memoryBytes,
    timeout: timeoutMs,
    ...(adapter !== undefined && { adapter }),
    ...(shape !== undefined && { shape }),
    settings: {
      ...Object.fromEntries(Object.entries(settings).map(([name, value]) => [name, { value }])),
      ...Object.fromEntries(Object.entries(secrets).map(([name, secret]) => [name, { secret }])),
    },
    held: [...held],
  };
}

function notAsSent(doing: string, at: string, { what, here, there }: Drift): EmballageError {
  return new EmballageError('DELIVERY_INVALID', {
    doing,
    where: printable(at),
    expected: `${what} there as it was sent: ${here}`,
    found: there,
    mend: 'ask who runs the host; the version before can be made current again with `emballage recall`',
  });
}

/** What speaks to a host, with its login. @throws EmballageError USAGE where a token is named that is not set */
export async function clientOf(world: DeliveryWorld, deliver: ByHttp): Promise<HostClient> {
  return new HostClient(deliver.address, await exchangeWith(world, deliver));
}

/** The way to a host. @throws EmballageError USAGE where a token is named that is not set */
export async function openHost(world: DeliveryWorld, deliver: ByHttp): Promise<Way> {
  return new HostWay(await clientOf(world, deliver), world.now);
}
