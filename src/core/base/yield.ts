/** Long work in one thread lets what waits have its turn between its steps: signals, timers, answers. */
export function yieldNow(): Promise<void> {
  return new Promise((resolve) => setImmediate(resolve));
}

/** Does something with each item in turn, with a breath after as many. */
export async function eachBreathing<T>(items: Iterable<T>, every: number, take: (item: T) => void): Promise<void> {
  let done = 0;
  for (const item of items) {
    take(item);
    done += 1;
    if (done % every === 0) await yieldNow();
  }
}
