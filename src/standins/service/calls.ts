/** Calls of functions at the stand-in host: by its protocol, and at their own addresses. */
import { formOf } from '../../core/forms';
import type { ServerResponse } from 'node:http';
import { EmballageError, messageOf } from '../../core/base/errors';
import { parseExact, type CloudEvent } from '../../core/events';
import { type VersionText, callText } from '../../core/pipeline/deliver';
import { shapeOf, type Destination } from '../../core/sheet';
import { eventOf, readBody, sendAnswer, type CallReport, type HostPlan, type MountedData } from '../host';
import { jsonFrom, sendJson, type Exchange } from './exchange';
import { sendProblem } from './faults';
import { AllBusy, Pool, type PoolOptions } from './pool';
import { currentOf, type HostStore } from './store';

/** A version with all that its process gets. */
export interface VersionToRun {
  readonly name: string;
  readonly text: VersionText;
  readonly env: Readonly<Record<string, string>>;
  readonly beside: readonly MountedData[];
  /** Absolute path of content by its digest. */
  readonly pathOf: (sha256: string) => string;
}

export interface CallsOptions extends PoolOptions {
  readonly destination: Destination;
  /** How a version is started. */
  readonly plan: (version: VersionToRun) => Promise<HostPlan>;
}

export class Calls {
  readonly #options: CallsOptions;
  readonly #store: HostStore;
  readonly #pool: Pool;
  #runs = 0;

  constructor(options: CallsOptions, store: HostStore) {
    this.#options = options;
    this.#store = store;
    this.#pool = new Pool(options);
  }

  /** Ends instances of other versions. */
  keepOnly(name: string, version: string | undefined): Promise<void> {
    return this.#pool.keepOnly(name, version);
  }

  close(): Promise<void> {
    return this.#pool.close();
  }

  async call({ request, response, name }: Exchange): Promise<void> {
    // Numbers are passed on as they are written.
    const call = await jsonFrom(request, response, callText, parseExact);
    if (call === undefined) return undefined;
    const { event } = call as unknown as { readonly event: CloudEvent };
    const done = await this.#run(name, response, { name: call.name, event });
    if (done === undefined) return undefined;
    const { run, version, report } = done;
    const { answer, cold, startMs, callMs, log, peakBytes } = report;
    const { lines, droppedBytes } = log;
    sendJson(response, 200, {
      run,
      version,
      answer,
      cold,
      startMs,
      callMs,
      peakBytes,
      log: { lines, droppedBytes },
    });
  }

  async callByHttp({ request, response, url, name }: Exchange): Promise<void> {
    const current = currentOf(this.#store.read(name));
    const body = await readBody(request);
    if (current === undefined) {
      sendProblem(response, 404, 'no function of that name');
      return;
    }
    if (body === undefined) {
      sendProblem(response, 413, 'its body is too large');
      return;
    }
    const { adapter, shape: wanted } = current.text;
    const form = formOf(current.text.form);
    const shape = shapeOf(
      { form, ...(adapter !== undefined && { adapter }), ...(wanted !== undefined && { shape: wanted }) },
      this.#options.destination,
    );
    // The function sees the path below its own address.
    request.url = `${url.pathname.slice(`/at/${name}`.length) || '/'}${url.search}`;
    const shown = `${request.method ?? 'GET'} ${request.url}`;
    try {
      const event = eventOf(request, body, shape, new Date(this.#options.now()).toISOString());
      const done = await this.#run(name, response, { name: shown, event });
      if (done !== undefined) sendAnswer(response, done.report.answer, shape);
    } catch (error) {
      if (!(error instanceof EmballageError || error instanceof SyntaxError)) throw error;
      sendProblem(response, 400, 'the request is no event', messageOf(error));
    }
    return undefined;
  }

  /** Runs the current version, and notes what it logs. @returns undefined where the answer was sent already */
  async #run(
    name: string,
    response: ServerResponse,
    event: Parameters<Pool['call']>[2]['event'],
  ): Promise<{ readonly run: string; readonly version: string; readonly report: CallReport } | undefined> {
    const current = currentOf(this.#store.read(name));
    if (current === undefined) {
      sendProblem(response, 404, 'no function of that name');
      return undefined;
    }
    const { version, text } = current;
    this.#runs += 1;
    const run = `${Math.trunc(this.#options.now() / 1000).toString(36)}-${String(this.#runs)}`;
    try {
      const plan = (): Promise<HostPlan> => this.#options.plan(this.#toRun(name, text));
      const report = await this.#pool.call(name, { version, plan }, { event, run });
      const time = new Date(this.#options.now()).toISOString();
      this.#store.log(
        name,
        report.log.lines.map((line) => ({ time, run, version, line })),
      );
      return { run, version, report };
    } catch (error) {
      if (error instanceof AllBusy) {
        response.setHeader('retry-after', '1');
        sendProblem(response, 429, 'busy', error.message);
        return undefined;
      }
      if (!(error instanceof EmballageError)) throw error;
      sendProblem(response, 500, 'it cannot be started here', `${error.facts.doing}: ${error.facts.found}`);
      return undefined;
    }
  }

  #toRun(name: string, text: VersionText): VersionToRun {
    const held = this.#store.held();
    const own = Object.entries(text.settings).map(([key, one]) => [key, 'secret' in one ? one.secret : one.value]);
    const pathOf = (sha256: string): string => this.#store.contentPath(sha256);
    return {
      name,
      text,
      pathOf,
      env: {
        ...(Object.fromEntries(own) as Record<string, string>),
        ...Object.fromEntries(text.held.map((key) => [key, held[key] ?? ''])),
      },
      beside: Object.entries(text.beside).map(([key, { setting, sha256 }]) => ({
        name: key,
        setting,
        path: pathOf(sha256),
      })),
    };
  }
}
