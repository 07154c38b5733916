/** Made-up data from fixed seeds, the same in every run. */

/** Numbers from a seed: a 32-bit linear congruence. */
export function numbers(seed: number): (below: number) => number {
  let state = seed >>> 0;
  return (below) => {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    return Math.floor((state / 2 ** 32) * below);
  };
}

/** `length` bytes drawn evenly from `kinds` values. */
export function noise(seed: number, length: number, kinds = 256): Buffer {
  const next = numbers(seed);
  return Buffer.from(Array.from({ length }, () => next(kinds)));
}

/** `length` bytes of made-up words, some far more frequent than others. */
export function words(seed: number, length: number): Buffer {
  const next = numbers(seed);
  const vocabulary = Array.from({ length: 600 }, () =>
    String.fromCharCode(...noise(next(1e9), 2 + next(9), 26).map((n) => n + 97)),
  );
  let text = '';
  while (text.length < length) text += `${vocabulary[next(1 + next(600))] ?? ''} `;
  return Buffer.from(text.slice(0, length));
}

/** Noise in which stretches come again at distances around the reach of a match. */
export function farRepeats(seed: number): Buffer {
  const next = numbers(seed);
  const data = noise(seed, 200_000, 200);
  for (let at = 33_000; at < data.length - 300; at += 200 + next(400)) {
    const from = at - 32_400 - next(400);
    data.copyWithin(at, from, from + 3 + next(280));
  }
  return data;
}

/** The code of the error that something throws; undefined when it throws none. */
export function codeOf(what: () => unknown): unknown {
  try {
    what();
    return undefined;
  } catch (error) {
    return (error as { code?: unknown }).code;
  }
}

/** The same for what comes later. */
export async function codeFrom(what: Promise<unknown>): Promise<unknown> {
  try {
    await what;
    return undefined;
  } catch (error) {
    return (error as { code?: unknown }).code;
  }
}
