/** Doing several things at once, and telling how far they are together. */

/**
 * Does work for each item, at most so many at once, beginning in their order. After a failure nothing more is begun, and
 * what is under way is waited for, so that nothing goes on behind an error.
 * @throws what the first failure threw
 */
export async function severalAtOnce<T>(
  items: Iterable<T>,
  most: number,
  work: (item: T) => Promise<unknown>,
): Promise<void> {
  const open = [...items];
  const failures: unknown[] = [];
  const lane = async (): Promise<void> => {
    while (open.length > 0 && failures.length === 0) {
      const [item] = open.splice(0, 1) as [T];
      try {
        await work(item);
      } catch (error) {
        failures.push(error);
      }
    }
  };
  await Promise.all(Array.from({ length: Math.min(most, open.length) }, lane));
  if (failures.length > 0) throw failures[0];
}

/** Tells the sum of what several parts have done. @param tell called with that sum whenever one of them moves on */
export function summed(tell: (sum: number) => void): (part: string, done: number) => void {
  const parts = new Map<string, number>();
  return (part, done) => {
    parts.set(part, done);
    tell([...parts.values()].reduce((a, b) => a + b, 0));
  };
}

/** Things by what they have in common, in the order of the first of each. */
export function groupBy<T>(items: Iterable<T>, keyOf: (item: T) => string): Map<string, [T, ...T[]]> {
  const groups = new Map<string, [T, ...T[]]>();
  for (const item of items) {
    const key = keyOf(item);
    const group = groups.get(key);
    if (group === undefined) groups.set(key, [item]);
    else group.push(item);
  }
  return groups;
}
