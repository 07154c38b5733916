/** Lines of a text, by position. */
export class Lines {
  readonly #text: string;
  #starts: number[] | undefined;

  constructor(text: string) {
    this.#text = text;
  }

  /** Line and column of a position, in UTF-16 units, all counting from 0. */
  placeOf(at: number): { readonly line: number; readonly column: number } {
    const starts = (this.#starts ??= startsOf(this.#text));
    let [low, high] = [0, starts.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      if ((starts[middle] ?? 0) <= at) low = middle + 1;
      else high = middle;
    }
    return { line: low - 1, column: at - (starts[low - 1] ?? 0) };
  }
}

function startsOf(text: string): number[] {
  const starts = [0];
  for (let at = text.indexOf('\n'); at >= 0; at = text.indexOf('\n', at + 1)) starts.push(at + 1);
  return starts;
}
