// Calls one reader with mutated inputs, for run.mjs. Before each call the input is put where run.mjs can take it from, so that
// it is known also when the reader never comes back.
import { parentPort, workerData } from 'node:worker_threads';
import { mutate } from './mutate.mjs';
import { READERS } from './readers.mjs';

const { name, seeds, shared, state, seed, until, most } = workerData;
const { read } = READERS[name];
const [flags, room] = [new Int32Array(state), new Uint8Array(shared)];
const TYPED = /^(?:EmballageError|RangeError|ClassFormatError|KeyFault|ZipFaultError|SyntaxError)$/;
/** Errors of the machine that look like ours. */
const OF_MACHINE =
  /Maximum call stack|Invalid (?:array|string|typed array) length|out of range|Array buffer allocation/;

function isRefusal(error) {
  if (!(error instanceof Error) || !TYPED.test(error.constructor.name)) return false;
  if (error.constructor.name === 'SyntaxError') return /JSON/.test(error.message);
  return error.constructor.name !== 'RangeError' || !OF_MACHINE.test(error.message);
}

let random = seed;
const next = (below) => {
  random = (Math.imul(random, 1664525) + 1013904223) >>> 0;
  return Math.floor((random / 2 ** 32) * below);
};
const inputs = seeds.map((one) => Buffer.from(one));
let calls = 0;
for (; calls < most && (calls % 256 !== 0 || Date.now() < until); calls++) {
  const bytes = calls < inputs.length ? inputs[calls] : mutate(inputs[next(inputs.length)], inputs, next);
  const length = Math.min(bytes.length, room.length);
  room.set(bytes.subarray(0, length));
  Atomics.store(flags, 1, length);
  Atomics.add(flags, 0, 1);
  try {
    const value = read(bytes);
    if (value instanceof Promise) await value;
  } catch (error) {
    if (isRefusal(error)) continue;
    parentPort.postMessage({
      kind: 'crash',
      calls,
      input: bytes.toString('base64'),
      error: String(error?.stack ?? error),
    });
    break;
  }
}
parentPort.postMessage({ kind: 'end', calls });
