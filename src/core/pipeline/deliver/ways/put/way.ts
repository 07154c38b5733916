/**
 * Delivers by HTTP PUT (RFC 9110, 9.3.4) to addresses made of a pattern: never over what another put there meanwhile
 * (13.1), with digests of the content (RFC 9530), read back and verified. Collections are made where the server wants
 * them (RFC 4918, 9.3).
 */
import { exchangeWith, type ByHttp } from '../by-http';
import type { DeliveryWorld } from '../way';
import { EmballageError } from '../../../../base/errors';
import { printable } from '../../../../base/text';
import { fileBody, type NetworkResponse } from '../../../../sources';
import { bad, bodyDigest, digestField, shownUrl, statedDigest, type Exchange } from '../../../../sources/exchange';
import type { Delivery } from '../../ledger';
import type { Payload } from '../../payload';
import { bringer, fetchFiles } from '../fetch-files';
import { filesOf, lookAtFiles, placedFiles, sentBlob, takeBackFiles, WAYBILL_ENDING, type FileToSend } from '../files';
import type { Fetched, FetchWanted, DeliveryStatus, Placed, SendOptions, SentBlob, TakenBack, Way } from '../way';

/** How much of what is read back may come beyond what is expected, before it is known to be other content. */
const SPARE_BYTES = 1024 * 1024;

/** What stands at an address. */
interface There {
  readonly size: number | undefined;
  readonly etag: string | undefined;
}

export class PutWay implements Way {
  readonly name = 'put';
  readonly isTold = false;
  readonly at: string;
  readonly #pattern: string;
  readonly #exchange: Exchange;

  constructor(pattern: string, exchange: Exchange) {
    this.#pattern = pattern;
    this.at = pattern;
    this.#exchange = exchange;
  }

  async look(payload: Payload, last: Delivery | undefined): Promise<DeliveryStatus> {
    const files = filesOf(payload);
    this.#refuseClashes(payload, files);
    const known = new Set(placesOf(last));
    const missing: FileToSend[] = [];
    // A waybill is there before its artifact is.
    for (const file of files.filter(({ kind }) => kind !== 'waybill')) {
      const url = this.#addressOf(payload.name, file);
      const there = await this.#head(url, `looking at what stands of ${payload.name}`);
      // What was never verified is, when it is sent.
      if (there?.size !== file.size || !known.has(`${url} sha256:${file.sha256}`)) missing.push(file);
    }
    return lookAtFiles(payload, last, missing);
  }

  async send(payload: Payload, _look: DeliveryStatus, { onProgress }: SendOptions): Promise<Placed> {
    const files = filesOf(payload);
    const total = files.reduce((sum, { size }) => sum + size, 0);
    const blobs: SentBlob[] = [];
    let done = 0;
    for (const file of files) {
      const isThere = await this.#put(payload.name, file, (bytes) => onProgress(done + bytes, total));
      done += file.size;
      blobs.push(sentBlob(file, isThere ? 'there' : 'sent'));
    }
    return placedFiles(payload, files, { locationOf: (file) => this.#addressOf(payload.name, file), blobs });
  }

  fetch(delivery: Delivery, wanted: FetchWanted): Promise<Fetched> {
    const doing = `fetching ${delivery.function} from ${delivery.destination}`;
    return fetchFiles(
      delivery,
      wanted,
      bringer(this.#exchange, doing, ({ location }) => location),
    );
  }

  takeBack(delivery: Delivery, others: readonly Delivery[]): Promise<TakenBack> {
    const doing = `recalling ${delivery.function}`;
    return takeBackFiles(delivery, others, async (url) => {
      const expects = [200, 202, 204, 404, 410];
      const response = await this.#exchange.send({ url, method: 'DELETE', doing, expects });
      await this.#exchange.small(response, doing, url);
      return response.status < 400;
    });
  }

  /** @returns whether the same was there already */
  async #put(name: string, file: FileToSend, onSent: (bytes: number) => void): Promise<boolean> {
    const url = this.#addressOf(name, file);
    const doing = `sending the ${file.name} of ${name}`;
    const there = await this.#head(url, doing);
    if (there?.size === file.size && (await this.#contentAt(url, doing, file.size))?.sha256 === file.sha256)
      return true;
    // A waybill goes by the digest of its artifact, of which another version of the tool may write another.
    if (there !== undefined && file.kind !== 'waybill' && file.kind !== 'paper' && this.#isByDigest())
      throw otherContent(doing, url, file.sha256);
    const response = await this.#putWhole({ url, doing, file, there, onSent });
    const found = await this.#contentAt(url, doing, file.size);
    if (found?.sha256 === file.sha256) return false;
    if (response.status === 412) throw raced(doing, url);
    throw bad(
      `reading back the ${file.name} of ${name}`,
      url,
      `SHA-256 ${file.sha256}, which was sent`,
      found === undefined ? 'nothing' : `SHA-256 ${found.sha256}`,
    );
  }

  async #putWhole(put: Putting): Promise<NetworkResponse> {
    const { url, doing, file, there, onSent } = put;
    const digest = digestField(file.sha256);
    const ask = (): Promise<NetworkResponse> =>
      this.#exchange.send({
        url,
        method: 'PUT',
        doing,
        body: fileBody({ path: file.path, at: 0, size: file.size }, onSent),
        headers: {
          'content-type': file.ending.endsWith('.json') ? 'application/json' : 'application/octet-stream',
          'content-length': String(file.size),
          'content-digest': digest,
          'repr-digest': digest,
          ...(there === undefined
            ? { 'if-none-match': '*' }
            : there.etag === undefined
              ? {}
              : { 'if-match': there.etag }),
        },
        expects: [200, 201, 204, 409, 412],
      });
    const first = await ask();
    await this.#exchange.small(first, doing, url);
    if (first.status !== 409) return first;
    await this.#makeCollections(url, doing);
    const second = await ask();
    await this.#exchange.small(second, doing, url);
    if (second.status !== 409) return second;
    throw bad(doing, url, 'it taken', 'status 409: the server says that something is in the way');
  }

  /** The collections above an address, the highest first (RFC 4918, 9.3.1: 409 where one above is missing, 405 where it is there). */
  async #makeCollections(url: string, doing: string): Promise<void> {
    const { origin, pathname } = new URL(url);
    const names = pathname.split('/').slice(1, -1);
    // Mostly only the last few are missing.
    const open: string[] = [];
    for (let i = names.length; i > 0; i--) {
      const at = `${origin}/${names.slice(0, i).join('/')}/`;
      const status = await this.#makeCollection(at, doing);
      if (status !== 409) break;
      open.push(at);
    }
    for (const at of open.reverse()) await this.#makeCollection(at, doing);
  }

  async #makeCollection(url: string, doing: string): Promise<number> {
    const response = await this.#exchange.send({ url, method: 'MKCOL', doing, expects: [201, 301, 405, 409] });
    await this.#exchange.small(response, doing, url);
    return response.status;
  }

  async #head(url: string, doing: string): Promise<There | undefined> {
    const response = await this.#exchange.send({ url, method: 'HEAD', doing, expects: [200, 204, 404, 410] });
    await this.#exchange.small(response, doing, url);
    if (response.status >= 400) return undefined;
    const { etag, 'content-length': length } = response.headers;
    return { size: length === undefined ? undefined : Number(length), etag };
  }

  /** What is there, read or, where the server has computed it, told. */
  async #contentAt(url: string, doing: string, size: number): Promise<{ readonly sha256: string } | undefined> {
    const response = await this.#exchange.send({
      url,
      doing,
      expects: [200, 404, 410],
      headers: { 'want-repr-digest': 'sha-256=9', 'accept-encoding': 'identity', 'cache-control': 'no-cache' },
    });
    if (response.status !== 200) {
      await this.#exchange.small(response, doing, url);
      return undefined;
    }
    const isPage = /\bhtml\b/.test(response.headers['content-type'] ?? '');
    const found = await bodyDigest(response, { doing, url }, size + SPARE_BYTES);
    const stated = statedDigest(response.headers['repr-digest']);
    if (stated !== undefined && stated !== found.sha256)
      throw bad(doing, url, `content of the digest that it states, SHA-256 ${stated}`, `SHA-256 ${found.sha256}`);
    if (isPage && found.size !== size) throw bad(doing, url, 'what was sent', 'a page for people');
    return found;
  }

  #isByDigest(): boolean {
    return this.#pattern.includes('{sha256}');
  }

  #addressOf(name: string, file: FileToSend): string {
    const { kind, arch, sha256, of, ending } = file;
    const words: Readonly<Record<string, string>> = {
      function: name,
      arch: kind === 'beside' ? 'beside' : arch,
      sha256: of ?? sha256,
      ending: kind === 'waybill' ? ending.slice(0, -WAYBILL_ENDING.length) : ending,
    };
    const address = this.#pattern.replace(/\{(\w+)\}/g, (_, word: string) => encodeURIComponent(words[word] ?? ''));
    return kind === 'waybill' ? `${address}${WAYBILL_ENDING}` : address;
  }

  /** Files that would lie over each other. */
  #refuseClashes({ name }: Payload, files: readonly FileToSend[]): void {
    const taken = new Map<string, FileToSend>();
    for (const file of files) {
      const url = this.#addressOf(name, file);
      const other = taken.get(url);
      taken.set(url, file);
      if (other === undefined || other.sha256 === file.sha256 || other.kind === 'waybill') continue;
      throw new EmballageError('USAGE', {
        doing: `sending ${name}`,
        where: printable(this.#pattern),
        expected: 'an address of its own for each file',
        found: `the same for ${other.name} and ${file.name}`,
        mend: 'add `{arch}` or `{sha256}` to `deliver: { put: … }` in the destination',
      });
    }
  }
}

interface Putting {
  readonly url: string;
  readonly doing: string;
  readonly file: FileToSend;
  readonly there: There | undefined;
  readonly onSent: (bytes: number) => void;
}

function otherContent(doing: string, url: string, sha256: string): EmballageError {
  return new EmballageError('DELIVERY_INVALID', {
    doing,
    where: shownUrl(url),
    expected: `nothing there, or SHA-256 ${sha256}`,
    found: 'other content under that digest',
    mend: 'remove it there, once you know where it came from',
  });
}

function raced(doing: string, url: string): EmballageError {
  return new EmballageError('DELIVERY_REFUSED', {
    doing,
    where: shownUrl(url),
    expected: 'to be the only one who sends there',
    found: 'something else, which another put there meanwhile (status 412)',
    mend: 'see what it is, then run the command again',
  });
}

/** Each address with the digest that was verified there. */
function placesOf(delivery: Delivery | undefined): string[] {
  if (delivery === undefined) return [];
  const own = Object.entries(delivery.locations).map(([arch, url]) => `${url} ${delivery.artifacts[arch] ?? ''}`);
  return [...own, ...Object.values(delivery.beside ?? {}).map(({ location, digest }) => `${location} ${digest}`)];
}

/** The way to addresses that files are put to. @throws EmballageError USAGE where a token is named that is not set */
export async function openPut(world: DeliveryWorld, deliver: ByHttp): Promise<Way> {
  return new PutWay(deliver.address, await exchangeWith(world, deliver));
}
