/** Cuts a stream of bytes into lines of UTF-8 text. */

export class LineSplitter {
  readonly #mostBytes: number;
  readonly #onLine: (line: string) => void;
  #held: Buffer[] = [];
  #heldBytes = 0;

  /** @param mostBytes of one line */
  constructor(mostBytes: number, onLine: (line: string) => void) {
    this.#mostBytes = mostBytes;
    this.#onLine = onLine;
  }

  /** @returns false when a line has become too long */
  add(bytes: Buffer): boolean {
    let from = 0;
    for (let end = bytes.indexOf(10); end >= 0; end = bytes.indexOf(10, from)) {
      const line = Buffer.concat([...this.#held, bytes.subarray(from, end)]).toString('utf8');
      this.#held = [];
      this.#heldBytes = 0;
      from = end + 1;
      this.#onLine(line.replace(/\r$/, ''));
    }
    if (from < bytes.length) {
      this.#held.push(bytes.subarray(from));
      this.#heldBytes += bytes.length - from;
    }
    return this.#heldBytes <= this.#mostBytes;
  }
}
