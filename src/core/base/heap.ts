/** The memory of the runtime: of very many small things alive, its heap would grow to several times what they take. */
import { setFlagsFromString } from 'node:v8';

const MANY = 50_000;
/** Percent by which the heap may grow before it is looked through again; up to 300 otherwise. */
const GROWTH = 20;

let isTight = false;

/** Told how many things there will be; with many, the heap is looked through more often from then on. */
export function expectThings(many: number): void {
  if (isTight || many < MANY) return;
  isTight = true;
  setFlagsFromString(`--heap-growing-percent=${String(GROWTH)}`);
}
