/** Keeps what a function writes to its standard output and error: lines of text, up to a limit. */

const MAX_KEPT_BYTES = 256 * 1024;
/** Nobody logs so much in one call on purpose. */
const MAX_BYTES = 64 * 1024 * 1024;

export interface Log {
  readonly lines: readonly string[];
  /** Bytes that were not kept. */
  readonly droppedBytes: number;
  /** Set where what was written is no log. */
  readonly garbage?: string;
}

export class LogKeeper {
  #kept: Buffer[] = [];
  #keptBytes = 0;
  #bytes = 0;
  #last = '';

  add(bytes: Buffer): void {
    this.#bytes += bytes.length;
    this.#last = (this.#last + bytes.toString('latin1')).slice(-4096);
    const room = MAX_KEPT_BYTES - this.#keptBytes;
    if (room <= 0) return;
    const kept = bytes.subarray(0, room);
    this.#kept.push(kept);
    this.#keptBytes += kept.length;
  }

  /** Bytes written since the log was last taken. */
  get bytes(): number {
    return this.#bytes;
  }

  /** Whether the end of what was written holds a text. */
  mentions(text: string): boolean {
    return this.#last.includes(text);
  }

  lastLine(): string {
    return Buffer.from(this.#last, 'latin1').toString('utf8').trimEnd().split('\n').at(-1) ?? '';
  }

  /** Gives what was written and starts afresh. */
  take(): Log {
    const bytes = Buffer.concat(this.#kept);
    const droppedBytes = this.#bytes - this.#keptBytes;
    const garbage = this.#garbageIn(bytes, droppedBytes > 0);
    this.#kept = [];
    this.#keptBytes = this.#bytes = 0;
    const text = bytes.toString('utf8').replace(/\n$/, '');
    return { lines: text === '' ? [] : text.split('\n'), droppedBytes, ...(garbage !== undefined && { garbage }) };
  }

  #garbageIn(bytes: Buffer, isCut: boolean): string | undefined {
    if (this.#bytes > MAX_BYTES) return `${String(this.#bytes)} bytes of log in one call`;
    if (bytes.includes(0)) return 'a log with NUL bytes, which is no text';
    try {
      // A character that was cut in two at the limit is no fault of the function's.
      new TextDecoder('utf-8', { fatal: true }).decode(bytes, { stream: isCut });
    } catch {
      return 'a log that is not UTF-8 text';
    }
    return undefined;
  }
}
