/** Instances of functions: from none to so many, each warm for a while. */
import type { NamedEvent } from '../../core/events';
import { openHost, type CallReport, type HostPlan, type OpenHost } from '../host';

export interface PoolOptions {
  /** Most instances of one function. */
  readonly instances: number;
  /** An instance that was not called for so long ends. */
  readonly idleMs: number;
  readonly now: () => number;
}

interface Instance {
  readonly version: string;
  readonly host: Promise<OpenHost>;
  calls: number;
  usedMs: number;
  concurrency: number;
}

/** All instances of a function are at work. */
export class AllBusy extends Error {
  constructor(instances: number) {
    super(`all ${String(instances)} instances are at work`);
  }
}

export class Pool {
  readonly #options: PoolOptions;
  readonly #instances = new Map<string, Instance[]>();
  readonly #timer: NodeJS.Timeout;

  constructor(options: PoolOptions) {
    this.#options = options;
    this.#timer = setInterval(() => this.#endIdle(), Math.min(1000, Math.max(20, options.idleMs / 4)));
    this.#timer.unref();
  }

  /** @throws AllBusy, and what opening the artifact throws */
  async call(
    name: string,
    { version, plan }: { readonly version: string; readonly plan: () => Promise<HostPlan> },
    { event, run }: { readonly event: NamedEvent; readonly run: string },
  ): Promise<CallReport> {
    const instance = this.#take(name, version, plan);
    try {
      const host = await instance.host;
      instance.concurrency = host.concurrency;
      return await host.call(event, run);
    } catch (error) {
      this.#remove(name, instance);
      throw error;
    } finally {
      instance.calls -= 1;
      instance.usedMs = this.#options.now();
      if (instance.calls === 0 && !(this.#instances.get(name) ?? []).includes(instance)) await end(instance);
    }
  }

  /** How many there are of each function. */
  count(name: string): number {
    return this.#instances.get(name)?.length ?? 0;
  }

  /** Ends instances of other versions, as soon as they are free. */
  async keepOnly(name: string, version: string | undefined): Promise<void> {
    const old = (this.#instances.get(name) ?? []).filter((one) => one.version !== version);
    for (const one of old) this.#remove(name, one);
    await Promise.all(old.filter(({ calls }) => calls === 0).map(end));
  }

  async close(): Promise<void> {
    clearInterval(this.#timer);
    const all = [...this.#instances.values()].flat();
    this.#instances.clear();
    await Promise.all(all.map(end));
  }

  #take(name: string, version: string, plan: () => Promise<HostPlan>): Instance {
    const all = this.#instances.get(name) ?? [];
    const free = all.find((one) => one.version === version && one.calls < one.concurrency);
    if (free === undefined && all.length >= this.#options.instances) throw new AllBusy(this.#options.instances);
    const usedMs = this.#options.now();
    const taken = free ?? { version, host: plan().then(openHost), calls: 0, usedMs, concurrency: 1 };
    if (free === undefined) this.#instances.set(name, [...all, taken]);
    taken.calls += 1;
    return taken;
  }

  #remove(name: string, instance: Instance): void {
    const all = this.#instances.get(name) ?? [];
    this.#instances.set(
      name,
      all.filter((one) => one !== instance),
    );
  }

  #endIdle(): void {
    const now = this.#options.now();
    for (const [name, all] of this.#instances)
      for (const one of all.filter(({ calls, usedMs }) => calls === 0 && now - usedMs >= this.#options.idleMs)) {
        this.#remove(name, one);
        void end(one);
      }
  }
}

async function end({ host }: Instance): Promise<void> {
  await host.then(
    (open) => open.close(),
    () => undefined,
  );
}
