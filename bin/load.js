'use strict';
/**
 * Runs the program from its pack: one file with all modules, of which only those are read that are asked for, each
 * compiled with what the runtime made of it the last time (the cached data of v8.Script). That is kept in the user's
 * folder for caches, by the version of the code, of the runtime, and the command.
 */
const fs = require('node:fs');
const { createRequire } = require('node:module');
const { homedir } = require('node:os');
const { dirname, isAbsolute, join } = require('node:path');
const { constants, Script } = require('node:vm');
const { crc32 } = require('node:zlib');

const ROOT = join(__dirname, '..');
/** Bytes of the number at the head of a pack: how long the list of what is in it is. */
const HEAD_BYTES = 12;

let runModule;

/** What a module gives; each runs once, or again where it threw. @param entry its path, relative to the package */
module.exports = function load(entry) {
  return (runModule ??= open())(entry);
};

function open() {
  const pack = openPack(join(ROOT, 'dist/program.pack'));
  const keptAt = keptPath();
  const kept = keptAt === undefined ? new Map() : readKept(keptAt);
  const scripts = new Map();
  const loaded = new Map();
  const compile = (path, text, filename) => {
    const cachedData = kept.get(path);
    const importModuleDynamically = constants.USE_MAIN_CONTEXT_DEFAULT_LOADER;
    const script = new Script(text, { filename, cachedData, importModuleDynamically });
    if (script.cachedDataRejected === true) kept.delete(path);
    scripts.set(path, script);
    return script.runInThisContext();
  };
  const run = (number) => {
    const known = loaded.get(number);
    if (known !== undefined) return known.exports;
    const [path, start, length, links] = JSON.parse(pack.lines[number]);
    const file = join(ROOT, path);
    const module = { exports: {}, id: file, filename: file, loaded: false, children: [], paths: [] };
    loaded.set(number, module);
    let outside;
    const ask = (request) => {
      if (links[request] !== undefined) return run(links[request]);
      outside ??= createRequire(file);
      return outside(request);
    };
    ask.resolve = (request) => (outside ??= createRequire(file)).resolve(request);
    ask.main = require.main;
    ask.cache = require.cache;
    try {
      const code = compile(path, pack.read(start, length), file);
      code.call(module.exports, module.exports, ask, module, file, dirname(file));
    } catch (error) {
      // What threw while it ran is not there: who asks again gets the error again, not half a module.
      loaded.delete(number);
      throw error;
    }
    module.loaded = true;
    return module.exports;
  };
  if (keptAt !== undefined)
    process.on('exit', () => {
      for (const path of scripts.keys()) if (!kept.has(path)) return keep(keptAt, scripts);
    });
  return (entry) => run(pack.lines.findIndex((line) => line.startsWith(`["${entry}",`)));
}

/** A pack, as scripts/pack.mjs writes it. */
function openPack(path) {
  const fd = fs.openSync(path, 'r');
  const read = (at, length) => {
    const bytes = Buffer.allocUnsafe(length);
    fs.readSync(fd, bytes, 0, length, at);
    return bytes.latin1Slice();
  };
  const codeAt = HEAD_BYTES + Number(read(0, HEAD_BYTES));
  // Of the list only those lines are parsed that are asked for.
  const lines = read(HEAD_BYTES, codeAt - HEAD_BYTES).split('\n');
  return { lines, read: (start, length) => read(codeAt + start, length) };
}

/** Where what the runtime makes of the modules for this command is kept; undefined where that is not to be known. */
function keptPath() {
  const command = process.argv[2] ?? '';
  const isCommand = /^[a-z-]+$/.test(command) && fs.existsSync(join(ROOT, `dist/cli/commands/${command}.js`));
  try {
    const code = fs.readFileSync(join(ROOT, 'dist/code.txt'), 'latin1');
    const named = process.env.XDG_CACHE_HOME ?? '';
    const folder = join(isAbsolute(named) ? named : join(homedir(), '.cache'), 'emballage', `code-${code}`, 'started');
    return join(folder, `${isCommand ? command : 'other'}-${process.version}-${process.arch}`);
  } catch {
    return undefined;
  }
}

/** The checksum comes first: what was cut off or overwritten would not be noticed by the runtime. */
function readKept(path) {
  const kept = new Map();
  try {
    const bytes = fs.readFileSync(path);
    if (crc32(bytes.subarray(4)) !== bytes.readUInt32LE(0)) return kept;
    const dataAt = 8 + bytes.readUInt32LE(4);
    const list = JSON.parse(bytes.latin1Slice(8, dataAt));
    let at = dataAt;
    for (const [name, length] of list) kept.set(name, bytes.subarray(at, (at += length)));
  } catch {
    kept.clear();
  }
  return kept;
}

function keep(path, scripts) {
  const temporary = `${path}.${process.pid}`;
  try {
    const data = [...scripts].map(([name, script]) => [name, script.createCachedData()]);
    const list = Buffer.from(JSON.stringify(data.map(([name, bytes]) => [name, bytes.length])), 'latin1');
    const head = Buffer.alloc(8);
    head.writeUInt32LE(list.length, 4);
    const whole = Buffer.concat([head, list, ...data.map(([, bytes]) => bytes)]);
    whole.writeUInt32LE(crc32(whole.subarray(4)));
    fs.mkdirSync(dirname(path), { recursive: true });
    fs.writeFileSync(temporary, whole);
    fs.renameSync(temporary, path);
  } catch {
    // The next start takes a little longer, nothing more.
    fs.rmSync(temporary, { force: true });
  }
}
