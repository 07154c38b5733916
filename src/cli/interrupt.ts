/** What an interrupt does: it ends the program, unless a command has something that a person is to end with it. */

const NUMBERS = { SIGHUP: 1, SIGINT: 2, SIGTERM: 15 } as const;
type Signal = keyof typeof NUMBERS;

let waiting: (() => void) | undefined;

/**
 * Ended from outside, the program leaves nothing behind: what was unpacked is removed, what was started is ended.
 * Libraries listen to signals as well, so how many do says nothing.
 */
export function endOnSignals(): void {
  for (const signal of Object.keys(NUMBERS) as Signal[])
    process.on(signal, () => {
      const end = waiting;
      waiting = undefined;
      if (end === undefined || signal === 'SIGHUP') process.exit(128 + NUMBERS[signal]);
      else end();
    });
}

/** Waits for the person to end what runs on. */
export function untilInterrupted(): Promise<void> {
  return new Promise((resolve) => (waiting = resolve));
}
