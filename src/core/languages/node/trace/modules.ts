/** The modules of a function: their texts and facts, read when they are first asked for. */
import { eachBreathing } from '../../../base/breathe';
import { contentDigest } from '../../../disk/digest';
import type { CompileOptions } from '../compile/typescript';
import type { ModuleFacts } from './facts';
import type { ModuleBook } from './module-book';
import type { ReadModule } from './module-job';
import type { ModulePool } from './module-pool';

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
const FACTS_VERSION = '4';

export class Modules {
  readonly #book: ModuleBook;
  readonly #pool: ModulePool;
  readonly #modules = new Map<string, Module>();

  constructor(book: ModuleBook, pool: ModulePool) {
    this.#book = book;
    this.#pool = pool;
  }

  get(path: string): Module | undefined {
    return this.#modules.get(path);
  }

  /** Reads those that have not been read. */
  async load(sources: readonly ModuleSource[]): Promise<void> {
    const open: { source: ModuleSource; key: string; text: string }[] = [];
    await eachBreathing(sources, 64, (source) => {
      if (this.#modules.has(source.path)) return;
      const key = keyOf(source);
      const known = this.#book.find(key);
      if (known !== undefined) this.#take(source, known);
      else open.push({ source, key, text: plain(source.text()) });
    });
    const found = await this.#pool.read(
      open.map(({ source: { path, format, compile }, text }) => ({
        path,
        text,
        format,
        ...(compile !== undefined && { compile }),
      })),
    );
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

/** Without a byte order mark. */
/** Text without the mark of its byte order, which is no part of a module. */
export function plain(text: string): string {
  return text.replace(/^\ufeff/, '');
}

function keyOf({ path, sha256, format, compile }: ModuleSource): string {
  const ending = path.slice(path.lastIndexOf('.'));
  const how = compile === undefined ? '' : contentDigest(JSON.stringify([compile, ending])).slice(0, 16);
  return `${FACTS_VERSION}-${sha256()}-${format ?? 'any'}-${how}`;
}
