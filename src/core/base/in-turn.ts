/** Works that must not run beside each other, although much else does. */

const last = new Map<string, Promise<unknown>>();

/** Runs a work when all before it that have the same name are over, however they ended. */
export function inTurn<T>(name: string, work: () => Promise<T>): Promise<T> {
  const before = last.get(name) ?? Promise.resolve();
  const mine = before.then(work, work);
  last.set(name, mine);
  const forget = (): void => {
    if (last.get(name) === mine) last.delete(name);
  };
  mine.then(forget, forget);
  return mine;
}
