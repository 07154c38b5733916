// Attacks the readers of what comes from outside with mutated inputs: `npm run fuzz -- READER SECONDS`, all readers without a
// name. What crashes one, hangs it for two seconds, or takes 512 MiB is written to fuzz/found/ and ends with exit code 1.
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { createHash } from 'node:crypto';
import { createRequire } from 'node:module';
import { Worker } from 'node:worker_threads';
import { READERS } from './readers.mjs';

process.chdir(new URL('..', import.meta.url).pathname);
const require = createRequire(import.meta.url);
const PATIENCE_MS = 2000;
const MOST_MIB = 512;
const [name, seconds = '5'] = process.argv.slice(2);
const names = name === undefined || name === 'all' ? Object.keys(READERS) : [name];
let [total, faults] = [0, 0];
for (const one of names) {
  if (READERS[one] === undefined) {
    console.error(`no reader ${one}; there are ${Object.keys(READERS).join(', ')}`);
    process.exit(2);
  }
  const { calls, found } = await attack(one, Number(seconds) * 1000);
  total += calls;
  faults += found === undefined ? 0 : 1;
  console.log(`${one.padEnd(16)} ${String(calls).padStart(9)} inputs  ${found ?? 'held'}`);
}
console.log(`${total} inputs over ${names.length} readers, ${faults} faults`);
process.exitCode = faults === 0 ? 0 : 1;

async function attack(reader, ms) {
  const seeds = READERS[reader].seeds.flatMap(seedsOf);
  if (seeds.length === 0) return { calls: 0, found: 'left out: nothing to start from' };
  const shared = new SharedArrayBuffer(4 * 1024 * 1024);
  const state = new SharedArrayBuffer(8);
  const flags = new Int32Array(state);
  const seed = Number(process.env.FUZZ_SEED ?? Date.now() % 2 ** 31);
  const most = Number(process.env.FUZZ_INPUTS ?? Infinity);
  const workerData = { name: reader, seeds, shared, state, seed, until: Date.now() + ms, most };
  const worker = new Worker(new URL('./worker.mjs', import.meta.url), {
    workerData,
    resourceLimits: { maxOldGenerationSizeMb: MOST_MIB },
  });
  return new Promise((resolve) => {
    let [last, since] = [-1, Date.now()];
    const end = (calls, found, input) => {
      clearInterval(watch);
      void worker.terminate();
      if (found === undefined || input === undefined) return resolve({ calls, found });
      mkdirSync('fuzz/found', { recursive: true });
      const file = `fuzz/found/${reader}-${createHash('sha256').update(input).digest('hex').slice(0, 12)}`;
      writeFileSync(file, input);
      resolve({ calls, found: `${found}\n    input in ${file}` });
    };
    const current = () => Buffer.from(new Uint8Array(shared, 0, flags[1]));
    const watch = setInterval(() => {
      const now = Atomics.load(flags, 0);
      if (now !== last) [last, since] = [now, Date.now()];
      else if (Date.now() - since > PATIENCE_MS + (last <= 0 ? 10_000 : 0))
        end(now, `HANGS for over ${PATIENCE_MS / 1000} s`, current());
    }, 100);
    worker.on('message', (message) => {
      if (message.kind === 'end') end(message.calls);
      else
        end(
          message.calls,
          `CRASHES: ${message.error.split('\n').slice(0, 6).join('\n    ')}`,
          Buffer.from(message.input, 'base64'),
        );
    });
    worker.on('error', (error) => end(flags[0], `TAKES TOO MUCH: ${error.message}`, current()));
  });
}

/** A file of the repository or of the machine, the classes of a JAR, or a text. */
function seedsOf(seed) {
  if (typeof seed === 'function') return [seed()];
  if (seed.endsWith(':class')) return classesIn(seed.slice(0, -':class'.length));
  if (!/^[/\w.*-]+\.?[\w*]*$/.test(seed) || !seed.includes('/')) return [Buffer.from(seed, 'latin1')];
  return existsSync(seed) ? [readFileSync(seed)] : [];
}

function classesIn(path) {
  const { openZip, readEntry } = require('../dist/core/formats/zip/index.js');
  const { sourceOfBytes } = require('../dist/core/formats/byte-source.js');
  const source = sourceOfBytes(readFileSync(path));
  return openZip(source, path)
    .entries.filter((one) => one.kind === 'file')
    .map((one) => Buffer.from(readEntry(source, one, 1 << 24)));
}
