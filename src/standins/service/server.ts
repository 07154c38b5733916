/** A small host of functions on loopback, by the protocol of `schemas/host.openapi.json`; it can be told to misbehave. */
import type { IncomingMessage, ServerResponse } from 'node:http';
import {
  type FunctionStatus,
  type LogResult,
  PREFIX,
  type VersionText,
  type VersionResult,
  currentText,
  versionText,
} from '../../core/pipeline/deliver';
import type { Machine } from '../../core/toolchains/machine';
import { Calls, type CallsOptions } from './calls';
import { receiveContent, sendContent } from './content';
import { jsonFrom, sendJson, type Exchange } from './exchange';
import { HostFaults, sendProblem, type HostFault } from './faults';
import { refusalsOf } from './judge';
import { currentOf, HostStore, told, type KeptVersion } from './store';
import { serveOnLoopback } from '../loopback';

export interface HostOptions extends CallsOptions {
  /** Absolute path of the folder that it keeps everything in. */
  readonly folder: string;
  /** 0 for any that is free. */
  readonly port: number;
  readonly misbehave?: HostFault;
  /** Name and password that every request must carry; the password alone as a bearer token. */
  readonly login?: string;
  readonly machine: Machine;
  readonly onRequest?: (line: string) => void;
}

export interface RunningHost {
  /** `http://127.0.0.1:8440`. */
  readonly url: string;
  close(): Promise<void>;
}

/** @throws the system's error when the port is taken */
export async function startHost(options: HostOptions): Promise<RunningHost> {
  const service = new Service(options);
  const { port, close } = await serveOnLoopback(options.port, ({ request, response, url: asked }) => {
    options.onRequest?.(`${request.method ?? ''} ${request.url ?? ''}`);
    return service.answer(request, response, asked);
  });
  const url = `http://127.0.0.1:${String(port)}`;
  service.url = url;
  return { url, close: () => close().then(() => service.close()) };
}

class Service {
  url = '';
  readonly #options: HostOptions;
  readonly #store: HostStore;
  readonly #faults: HostFaults;
  readonly #calls: Calls;

  constructor(options: HostOptions) {
    this.#options = options;
    this.#store = new HostStore(options.folder);
    this.#faults = new HostFaults(options.misbehave);
    this.#calls = new Calls(options, this.#store);
  }

  close(): Promise<void> {
    return this.#calls.close();
  }

  async answer(request: IncomingMessage, response: ServerResponse, { pathname, search }: URL): Promise<void> {
    if (await this.#faults.meet(request, response)) return;
    const url = new URL(`${pathname}${search}`, this.url);
    const [, address] = /^\/at\/([^/]+)/.exec(url.pathname) ?? [];
    if (address !== undefined) return this.#calls.callByHttp({ request, response, url, name: address });
    if (!this.#lets(request, response)) return undefined;
    const path = url.pathname;
    const { destination } = this.#options;
    if (path === PREFIX) {
      sendJson(response, 200, { protocol: 1, destination: destination.name });
      return;
    }
    if (path === `${PREFIX}/functions`) {
      sendJson(response, 200, { functions: this.#store.names() });
      return;
    }
    const [, sha256] = new RegExp(`^${PREFIX}/content/sha256/([0-9a-f]{64})$`).exec(path) ?? [];
    if (sha256 !== undefined) return this.#content(request, response, sha256);
    const [, name, rest = ''] = new RegExp(`^${PREFIX}/functions/([a-z0-9-]+)(?:/(.*))?$`).exec(path) ?? [];
    if (name !== undefined) return this.#function({ request, response, url, name }, rest);
    sendProblem(response, 404, 'no such page');
  }

  #lets({ headers }: IncomingMessage, response: ServerResponse): boolean {
    const { login } = this.#options;
    if (login === undefined) return true;
    const basic = `Basic ${Buffer.from(login).toString('base64')}`;
    const bearer = `Bearer ${login.slice(login.indexOf(':') + 1)}`;
    if (headers.authorization === basic || headers.authorization === bearer) return true;
    response.setHeader('www-authenticate', 'Basic realm="host", Bearer realm="host"');
    sendProblem(response, 401, 'a login is needed');
    return false;
  }

  async #content(request: IncomingMessage, response: ServerResponse, sha256: string): Promise<void> {
    if (request.method === 'PUT') {
      await receiveContent({ request, response, sha256, store: this.#store, faults: this.#faults });
    } else sendContent(request, response, sha256, this.#store);
  }

  async #function(exchange: Exchange, rest: string): Promise<void> {
    const { request, response, name } = exchange;
    const [, version] = /^versions\/([A-Za-z0-9][A-Za-z0-9.-]{0,63})$/.exec(rest) ?? [];
    switch (`${request.method ?? 'GET'} ${version === undefined ? rest : 'versions/'}`) {
      case 'GET ': {
        this.#standing(exchange);
        return;
      }
      case 'DELETE ':
        await this.#calls.keepOnly(name, undefined);
        this.#store.remove(name);
        {
          sendJson(response, 200, {});
          return;
        }
      case 'PUT versions/':
        return this.#putVersion(exchange, version ?? '');
      case 'DELETE versions/': {
        this.#deleteVersion(exchange, version ?? '');
        return;
      }
      case 'PUT current':
        return this.#makeCurrent(exchange);
      case 'POST calls':
        return this.#calls.call(exchange);
      case 'GET log': {
        this.#log(exchange);
        return;
      }
      default: {
        sendProblem(response, 404, 'no such page');
        return;
      }
    }
  }

  #standing({ response, name }: Exchange): void {
    const kept = this.#store.read(name);
    if (kept === undefined) {
      sendProblem(response, 404, 'no function of that name');
      return;
    }
    const current = currentOf(kept);
    if (current !== undefined) response.setHeader('etag', `"${current.version}"`);
    sendJson(response, 200, {
      function: name,
      ...(current !== undefined && { current: { version: current.version, told: this.#toldOf(current) } }),
      address: `${this.url}/at/${name}`,
      versions: [...kept.versions].reverse().map(({ version, put }) => ({ version, put })),
    } satisfies FunctionStatus);
  }

  #toldOf({ text }: KeptVersion): VersionResult {
    const all = told(text);
    const [first] = Object.keys(all.settings);
    if (this.#faults.fault !== 'forgetful' || first === undefined) return all;
    const { [first]: _forgotten, ...settings } = all.settings;
    return { ...all, settings };
  }

  async #putVersion({ request, response, name }: Exchange, version: string): Promise<void> {
    const text = await jsonFrom(request, response, versionText);
    if (text === undefined) return undefined;
    const kept = this.#store.read(name) ?? { name, versions: [] };
    const before = kept.versions.find((one) => one.version === version);
    if (before !== undefined) {
      const isSame = JSON.stringify(before.text) === JSON.stringify(text);
      if (isSame) sendJson(response, 200, {});
      else sendProblem(response, 409, 'another version of that name is here');
      return;
    }
    const refusals = [...this.#missing(text), ...this.#notHeld(text)];
    if (refusals.length === 0)
      refusals.push(
        ...(await refusalsOf(name, text, {
          destination: this.#options.destination,
          machine: this.#options.machine,
          pathOf: (sha256) => this.#store.contentPath(sha256),
          today: new Date(this.#options.now()).toISOString().slice(0, 10),
        })),
      );
    if (refusals.length > 0) {
      sendProblem(response, 422, `${this.#options.destination.name} refuses it`, refusals.join('; '));
      return;
    }
    const put = new Date(this.#options.now()).toISOString();
    this.#store.write({ ...kept, versions: [...kept.versions, { version, put, text }] });
    sendJson(response, 201, {});
  }

  #missing({ artifacts, beside }: VersionText): string[] {
    const wanted = [
      ...Object.values(artifacts).flatMap(({ sha256, waybill }) => [sha256, waybill]),
      ...Object.values(beside).map(({ sha256 }) => sha256),
    ];
    return wanted
      .filter((sha256) => this.#store.contentSize(sha256) === undefined)
      .map((sha256) => `content ${sha256} was not put`);
  }

  #notHeld({ held }: VersionText): string[] {
    const here = this.#store.held();
    return held
      .filter((setting) => here[setting] === undefined)
      .map((setting) => `setting ${setting} is said to be held here, and is not`);
  }

  async #makeCurrent({ request, response, name }: Exchange): Promise<void> {
    const wanted = await jsonFrom(request, response, currentText);
    if (wanted === undefined) return undefined;
    const kept = this.#store.read(name);
    if (kept?.versions.some(({ version }) => version === wanted.version) !== true) {
      sendProblem(response, 404, 'no version of that name');
      return;
    }
    if (!isAsExpected(request, kept.current)) {
      sendProblem(response, 412, 'another version is current');
      return;
    }
    this.#store.write({ ...kept, current: wanted.version });
    await this.#calls.keepOnly(name, wanted.version);
    sendJson(response, 200, {});
  }

  #deleteVersion({ response, name }: Exchange, version: string): void {
    const kept = this.#store.read(name);
    if (kept?.versions.some((one) => one.version === version) !== true) {
      sendProblem(response, 404, 'no version of that name');
      return;
    }
    if (kept.current === version) {
      sendProblem(response, 409, 'it is the current one');
      return;
    }
    this.#store.write({ ...kept, versions: kept.versions.filter((one) => one.version !== version) });
    this.#store.removeUnused();
    sendJson(response, 200, {});
  }

  #log({ response, url, name }: Exchange): void {
    if (this.#store.read(name) === undefined) {
      sendProblem(response, 404, 'no function of that name');
      return;
    }
    const [since = '', run, after = '0'] = ['since', 'run', 'after'].map(
      (key) => url.searchParams.get(key) ?? undefined,
    );
    const all = this.#store.readLog(name);
    const lines = all
      .slice(Number(after) || 0)
      .filter((line) => line.time >= since && (run === undefined || line.run === run));
    sendJson(response, 200, { lines, next: all.length } satisfies LogResult);
  }
}

/** RFC 9110, 13.1.1 and 13.1.2. */
function isAsExpected({ headers }: IncomingMessage, current: string | undefined): boolean {
  if (headers['if-none-match'] === '*') return current === undefined;
  return headers['if-match'] === undefined || headers['if-match'] === `"${current ?? ''}"`;
}
