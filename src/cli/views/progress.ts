/** A line on standard error that says how far something is, from the first second on, and only on a terminal. */

const AFTER_MS = 1000;
const EVERY_MS = 100;

export class Progress {
  readonly #stream: NodeJS.WriteStream;
  readonly #on: boolean;
  readonly #begun = performance.now();
  #shownAt = 0;
  #isShown = false;

  readonly #shown: (text: string) => string;

  /** @param shown the text as it can be shown on the stream */
  constructor(stream: NodeJS.WriteStream, wanted: boolean, shown: (text: string) => string) {
    this.#shown = shown;
    this.#stream = stream;
    this.#on = wanted && stream.isTTY;
  }

  /** @param text is asked for only when it is shown, where making it takes longer than a step of the work */
  show(text: string | (() => string)): void {
    const now = performance.now();
    if (!this.#on || now - this.#begun < AFTER_MS || now - this.#shownAt < EVERY_MS) return;
    this.#shownAt = now;
    this.#isShown = true;
    this.#stream.write(
      `\r\x1b[K${this.#shown(typeof text === 'string' ? text : text()).slice(0, Math.max(20, this.#stream.columns - 1))}`,
    );
  }

  clear(): void {
    if (this.#isShown) this.#stream.write('\r\x1b[K');
    this.#isShown = false;
  }
}
