// Runs inside the process that stands in for a host: loads one function and calls it with the events that arrive.
// Commands come as JSON lines on descriptor 3, answers go as JSON lines on descriptor 4, each with the secret mark that
// came with the first command, so that whatever the function writes there by itself is told from an answer.
import { writeSync } from 'node:fs';
import { Socket } from 'node:net';
import { createInterface } from 'node:readline';
import { pathToFileURL } from 'node:url';

const COMMANDS = 3;
const ANSWERS = 4;
const MAX_DEPTH = 1000;

// A socket, not a file stream: that would read in a thread of its own, for which the end of the process would wait.
const commands = new Socket({ fd: COMMANDS, readable: true, writable: false });

let mark = '';
let member;
let about;

for await (const line of createInterface({ input: commands })) {
  const command = JSON.parse(line);
  if (command.kind === 'load') await load(command);
  else if (command.kind === 'call') await call(command);
  else process.exit(0);
}

function answer(message) {
  const bytes = Buffer.from(`${JSON.stringify({ mark, ...message })}\n`);
  for (let done = 0; done < bytes.length;) {
    try {
      done += writeSync(ANSWERS, bytes, done);
    } catch (error) {
      if (error.code !== 'EAGAIN') throw error;
    }
  }
}

async function load(command) {
  mark = command.mark;
  about = command;
  const sampler = command.profile === true ? await startSampling() : undefined;
  const begun = performance.now();
  try {
    const module = await import(pathToFileURL(command.file).href);
    const loadMs = performance.now() - begun;
    const costs = await sampler?.();
    // CommonJS members that were not seen by reading stand on the default export only.
    member = module[command.member] ?? module.default?.[command.member];
    if (typeof member === 'function') answer({ kind: 'loaded', loadMs, costs });
    else answer({ kind: 'no-member', found: typeof member, members: Object.keys(module) });
  } catch (error) {
    answer({ kind: 'load-failed', error: describe(error) });
  }
}

/** Samples what runs, and gives the time spent in each file: by itself, and with all that its loading ran. */
async function startSampling() {
  const { Session } = await import('node:inspector');
  const session = new Session();
  session.connect();
  const ask = (what, how = {}) =>
    new Promise((resolve, reject) =>
      session.post(what, how, (error, found) => (error ? reject(error) : resolve(found))),
    );
  await ask('Profiler.enable');
  await ask('Profiler.setSamplingInterval', { interval: 100 });
  await ask('Profiler.start');
  return async () => {
    const { profile } = await ask('Profiler.stop');
    session.disconnect();
    return costsOf(profile);
  };
}

function costsOf({ nodes, samples, timeDeltas }) {
  const own = new Map();
  samples.forEach((id, i) => own.set(id, (own.get(id) ?? 0) + timeDeltas[i] / 1000));
  const byId = new Map(nodes.map((node) => [node.id, node]));
  const costs = new Map();
  const visit = (id, above) => {
    const { callFrame, children = [] } = byId.get(id);
    const isOwn = callFrame.url.startsWith('file:') || callFrame.url.startsWith('/');
    const url = isOwn ? callFrame.url : above.at(-1);
    const cost = url === undefined ? undefined : (costs.get(url) ?? { self: 0, total: 0, by: above.at(-1) });
    if (url !== undefined) costs.set(url, cost);
    const path = isOwn && callFrame.url !== above.at(-1) ? [...above, callFrame.url] : above;
    const spent = (own.get(id) ?? 0) + children.reduce((sum, child) => sum + visit(child, path), 0);
    if (cost !== undefined) cost.self += own.get(id) ?? 0;
    // Once for each way into the file, not for each of its functions.
    if (path !== above && !above.includes(callFrame.url)) cost.total += spent;
    return spent;
  };
  visit(nodes[0].id, []);
  return [...costs].map(([file, { self, total, by }]) => ({ file, self, total, by }));
}

/** Waits until what was logged has left this process. */
async function flushLog() {
  for (const stream of [process.stdout, process.stderr]) await new Promise((resolve) => stream.write('', resolve));
}

async function call({ run, deadline, event }) {
  try {
    const { context: names, name, memory } = about;
    const context = { [names.name]: name, [names.memory]: memory, [names.run]: run, [names.deadline]: deadline };
    // No part of what is written of it as JSON.
    Object.defineProperty(context, names.log, { value: (...texts) => console.error(...texts) });
    const value = await member(event, context);
    await flushLog();
    const fault = value === undefined ? undefined : whyNotJson(value, '', []);
    const peak = process.resourceUsage().maxRSS * 1024;
    if (fault !== undefined) answer({ kind: 'not-json', fault, peak });
    else
      answer({
        kind: 'result',
        json: value === undefined ? 'null' : JSON.stringify(value),
        nothing: value === undefined,
        peak,
      });
  } catch (error) {
    await flushLog();
    answer({ kind: 'threw', error: describe(error), peak: process.resourceUsage().maxRSS * 1024 });
  }
}

function describe(error) {
  if (error instanceof Error) return { name: error.name, message: error.message, stack: String(error.stack ?? '') };
  return { name: 'not an Error', message: typeof error === 'string' ? error : String(error), stack: '' };
}

/** What JSON.stringify would lose or refuse, with its place; undefined for plain JSON. */
function whyNotJson(value, at, above) {
  const place = at === '' ? 'the answer' : `\`${at}\``;
  if (value === null || typeof value === 'string' || typeof value === 'boolean') return undefined;
  if (typeof value === 'number') return Number.isFinite(value) ? undefined : `${place} is ${value}`;
  if (typeof value !== 'object') return `${place} is a ${typeof value}`;
  if (typeof value.toJSON === 'function') return undefined;
  if (above.includes(value)) return `${place} contains itself`;
  if (above.length >= MAX_DEPTH) return `${place} is nested too deep`;
  if (value instanceof Map || value instanceof Set)
    return `${place} is a ${value.constructor.name}, of which JSON keeps nothing`;
  if (value instanceof Promise) return `${place} is a Promise that was not awaited`;
  for (const [key, item] of Object.entries(value)) {
    if (item === undefined && !Array.isArray(value)) continue;
    const fault = whyNotJson(item, Array.isArray(value) ? `${at}[${key}]` : at === '' ? key : `${at}.${key}`, [
      ...above,
      value,
    ]);
    if (fault !== undefined) return fault;
  }
  return undefined;
}
