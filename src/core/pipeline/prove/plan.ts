/** Which variations are on in which build, and which of them make bytes differ. */
import type { Variation } from './variations';

/** Every other one, so that what cannot hold at once, and what takes long, is not together. */
export function halves(variations: readonly Variation[]): Variation[][] {
  return [0, 1].map((rest) => variations.filter((_one, i) => i % 2 === rest)).filter((on) => on.length > 0);
}

/**
 * The fewest of some variations that together still make bytes differ, by halving.
 * @param differs builds with these on; known to be true for all of them
 */
export async function fewest(
  variations: readonly Variation[],
  differs: (on: readonly Variation[]) => Promise<boolean>,
): Promise<Variation[]> {
  let on = [...variations];
  for (let parts = 2; on.length > 1;) {
    const size = Math.ceil(on.length / parts);
    const pieces = Array.from({ length: Math.ceil(on.length / size) }, (_, i) => on.slice(i * size, (i + 1) * size));
    const smaller = await firstThat(
      [...pieces, ...(parts > 2 ? pieces.map((piece) => without(on, piece)) : [])],
      differs,
    );
    if (smaller !== undefined) {
      on = smaller;
      parts = 2;
    } else if (size === 1) break;
    else parts = Math.min(parts * 2, on.length);
  }
  return on;
}

async function firstThat(
  choices: readonly Variation[][],
  differs: (on: readonly Variation[]) => Promise<boolean>,
): Promise<Variation[] | undefined> {
  for (const choice of choices) if (choice.length > 0 && (await differs(choice))) return choice;
  return undefined;
}

function without(all: readonly Variation[], some: readonly Variation[]): Variation[] {
  return all.filter((one) => !some.includes(one));
}
