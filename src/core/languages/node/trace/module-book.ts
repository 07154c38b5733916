/**
 * What is known of modules, by what it was read from. A file of lines, `KEY JSON`, to which new ones are added: reading
 * modules is the slow part of tracing, and most of them do not change. A line that is cut off counts as not there.
 */
import { appendFileSync, mkdirSync, readFileSync } from 'node:fs';
import { dirname } from 'node:path';
import { writeWhole } from '../../../disk/write';

const MAX_BOOK_BYTES = 256 * 1024 * 1024;

export class ModuleBook {
  readonly #path: string | undefined;
  /** Read when it is first asked: where nothing has changed, nobody asks. */
  #known: Map<string, string> | undefined;
  readonly #used = new Set<string>();
  #added: string[] = [];
  #isWhole = true;

  /** @param path absolute path of the file, which need not be there; undefined to keep nothing */
  constructor(path: string | undefined) {
    this.#path = path;
  }

  get #lines(): Map<string, string> {
    return (this.#known ??= this.#read());
  }

  #read(): Map<string, string> {
    const lines = new Map<string, string>();
    let text = '';
    try {
      if (this.#path !== undefined) text = readFileSync(this.#path, 'utf8');
    } catch {
      // Nothing is known yet.
    }
    for (const line of text.split('\n')) {
      const space = line.indexOf(' ');
      if (space > 0) lines.set(line.slice(0, space), line.slice(space + 1));
      else if (line !== '') this.#isWhole = false;
    }
    if (text !== '' && !text.endsWith('\n')) this.#isWhole = false;
    return lines;
  }

  /** JSON of what is known; undefined where nothing is. */
  find(key: string): string | undefined {
    const line = this.#lines.get(key);
    if (line?.endsWith('}') === true) {
      this.#used.add(key);
      return line;
    }
    return undefined;
  }

  add(key: string, json: string): void {
    this.#lines.set(key, json);
    this.#used.add(key);
    this.#added.push(`${key} ${json}\n`);
  }

  /** Keeps what was added; writes the file anew when half of it is of no use any more. */
  keep(): void {
    if (this.#known === undefined) return;
    const isStale = !this.#isWhole || this.#lines.size > 2 * this.#used.size + 64;
    if (this.#path === undefined || (this.#added.length === 0 && !isStale)) return;
    try {
      if (isStale) {
        const kept = [...this.#used].map((key) => `${key} ${this.#lines.get(key) ?? ''}\n`);
        writeWhole(this.#path, kept.join(''), this.#path);
      } else {
        mkdirSync(dirname(this.#path), { recursive: true });
        const text = this.#added.join('');
        if (text.length < MAX_BOOK_BYTES) appendFileSync(this.#path, text);
      }
    } catch {
      // Without it modules are read again.
    }
    this.#added = [];
  }
}
