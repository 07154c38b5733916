/** The modules of a function: their texts and facts, read when they are first asked for. */
import { eachBreathing } from '../../../base/yield';
import { contentDigest } from '../../../disk/digest';
import type { CompileOptions } from '../compile/typescript';
import type { ModuleFacts } from './facts';
import type { ModuleBook } from './module-book';
import type { ModuleJob, ReadModule } from './threads/module-job';
import type { BatchAhead, ModulePool } from './threads/module-pool';

export interface ModuleSource {
  readonly path: string;
  readonly text: () => string;
  /** SHA-256 of its text, hexadecimal. */
  readonly sha256: () => string;
  /** Undefined where the syntax decides. */
  readonly format: 'esm' | 'cjs' | undefined;
  /** Given for what has to be compiled. */
  readonly compile?: CompileOptions;
}

export interface Module {
  readonly path: string;
  readonly facts: ModuleFacts;
  /** JavaScript: the file's own text, or what it was compiled to. */
  readonly code: () => string;
  readonly map?: string;
  readonly isCompiled: boolean;
}

/** Changed when facts come to say something else of the same text. */
const FACTS_VERSION = '5';

export class Modules {
  readonly #book: ModuleBook;
  readonly #pool: ModulePool;
  readonly #modules = new Map<string, Module>();
  /** Modules that are being read before they were asked for, by path. */
  readonly #ahead = new Map<string, Promise<void>>();

  constructor(book: ModuleBook, pool: ModulePool) {
    this.#book = book;
    this.#pool = pool;
  }

  get(path: string): Module | undefined {
    return this.#modules.get(path);
  }

  /**
   * Starts to read what will be asked for in all likelihood, where that is much: threads then need not wait until it is
   * known, wave by wave, who asks for it. What goes wrong is told by `load`, if it is asked for that.
   */
  async readAhead(sources: readonly ModuleSource[]): Promise<void> {
    const reading = this.#pool.readAhead();
    const waiting: OpenModule[] = [];
    await this.#eachUnknown(sources, (open) => {
      waiting.push(open);
      this.#takeAhead(waiting, reading.add(jobOf(open)));
    });
    this.#takeAhead(waiting, reading.flush());
  }

  #takeAhead(waiting: OpenModule[], batch: BatchAhead | undefined): void {
    if (batch === undefined) return;
    const own = waiting.splice(0, batch.jobs);
    const taken = batch.found.then((found) => this.#takeAll(own, found));
    taken.catch(() => undefined);
    for (const { source } of own) this.#ahead.set(source.path, taken);
  }

  /** Reads those that have not been read. */
  async load(sources: readonly ModuleSource[]): Promise<void> {
    await Promise.all(new Set(sources.flatMap(({ path }) => this.#ahead.get(path) ?? [])));
    const open: OpenModule[] = [];
    await this.#eachUnknown(sources, (one) => open.push(one));
    await this.#takeAll(open, await this.#pool.read(open.map(jobOf)));
  }

  /** Tells of each of which nothing is known yet. */
  async #eachUnknown(sources: readonly ModuleSource[], tell: (open: OpenModule) => void): Promise<void> {
    await eachBreathing(sources, 64, (source) => {
      if (this.#modules.has(source.path)) return;
      const key = keyOf(source);
      const known = this.#book.find(key);
      if (known !== undefined) this.#take(source, known);
      else tell({ source, key, text: plain(source.text()) });
    });
  }

  async #takeAll(open: readonly OpenModule[], found: readonly string[]): Promise<void> {
    await eachBreathing(open.entries(), 64, ([i, { source, key, text }]) => {
      const json = found[i] ?? '';
      this.#book.add(key, json);
      this.#take(source, json, text);
    });
  }

  #take({ path, text: read, compile }: ModuleSource, json: string, text?: string): void {
    const { facts, code, map } = JSON.parse(json) as ReadModule;
    let own = code ?? text;
    this.#modules.set(path, {
      path,
      facts,
      code: () => (own ??= plain(read())),
      ...(map !== undefined && { map }),
      isCompiled: compile !== undefined,
    });
  }
}

/** A module that has to be read. */
interface OpenModule {
  readonly source: ModuleSource;
  readonly key: string;
  readonly text: string;
}

function jobOf({ source: { path, format, compile }, text }: OpenModule): ModuleJob {
  return { path, text, format, ...(compile !== undefined && { compile }) };
}

/** Text without the mark of its byte order, which is no part of a module. */
export function plain(text: string): string {
  return text.replace(/^\ufeff/, '');
}

function keyOf({ path, sha256, format, compile }: ModuleSource): string {
  const ending = path.slice(path.lastIndexOf('.'));
  const how = compile === undefined ? '' : contentDigest(JSON.stringify([compile, ending])).slice(0, 16);
  return `${FACTS_VERSION}-${sha256()}-${format ?? 'any'}-${how}`;
}
