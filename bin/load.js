'use strict';
/**
 * Runs the program from its pack: one text, compiled with what the runtime made of it the last time (v8.Script's
 * cached data), which the user's folder for caches keeps by the version of the code, of the runtime, and the command.
 */
const { createHash } = require('node:crypto');
const { existsSync, mkdirSync, readFileSync, renameSync, rmSync, writeFileSync } = require('node:fs');
const { createRequire } = require('node:module');
const { homedir } = require('node:os');
const { dirname, isAbsolute, join } = require('node:path');
const { constants, Script } = require('node:vm');

const ROOT = join(__dirname, '..');
const DIGEST_BYTES = 32;
const COUNT_BYTES = 4;

/** @param entry path of a module, relative to the package */
module.exports = function load(entry) {
  const keptAt = keptPath();
  const kept = keptAt === undefined ? undefined : readKept(keptAt);
  const cachedData = kept?.data;
  const filename = join(ROOT, 'dist/program.js');
  const importModuleDynamically = constants.USE_MAIN_CONTEXT_DEFAULT_LOADER;
  const script = new Script(readFileSync(filename, 'latin1'), { filename, cachedData, importModuleDynamically });
  const modules = script.runInThisContext()();
  const loaded = new Map();
  const isOld = kept === undefined || script.cachedDataRejected === true;
  if (keptAt !== undefined)
    process.on('exit', () => {
      if (isOld || loaded.size > kept.modules) keep(keptAt, script, loaded.size);
    });
  const run = (path) => {
    const known = loaded.get(path);
    if (known !== undefined) return known.exports;
    const [links, body] = modules[path];
    const file = join(ROOT, path);
    const module = { exports: {}, id: file, filename: file, loaded: false, children: [], paths: [] };
    loaded.set(path, module);
    let outside;
    const find = (request) => {
      if (links[request] !== undefined) return run(links[request]);
      outside ??= createRequire(file);
      return outside(request);
    };
    const ask = Object.assign(find, {
      resolve: (request) => (outside ??= createRequire(file)).resolve(request),
      main: require.main,
      cache: require.cache,
      extensions: require.extensions,
    });
    body.call(module.exports, module.exports, ask, module, file, dirname(file));
    module.loaded = true;
    return module.exports;
  };
  return run(entry);
};

/** Where what the runtime makes of the text for this command is kept; undefined where that is not to be known. */
function keptPath() {
  const command = process.argv[2] ?? '';
  const isCommand = /^[a-z-]+$/.test(command) && existsSync(join(ROOT, `dist/cli/commands/${command}.js`));
  try {
    const code = readFileSync(join(ROOT, 'dist/code.txt'), 'latin1');
    const named = process.env.XDG_CACHE_HOME ?? '';
    const caches = isAbsolute(named) ? named : join(homedir(), '.cache');
    return join(caches, 'emballage', `code-${code}`, 'started', `${isCommand ? command : 'other'}-${process.version}-${process.arch}`);
  } catch {
    return undefined;
  }
}

/**
 * Digest and number of modules come first: what was cut off or overwritten would not be noticed by the runtime, and
 * what was kept of a run that came to less is kept again.
 */
function readKept(path) {
  try {
    const bytes = readFileSync(path);
    const content = bytes.subarray(DIGEST_BYTES);
    if (!digestOf(content).equals(bytes.subarray(0, DIGEST_BYTES))) return undefined;
    return { modules: content.readUInt32LE(0), data: content.subarray(COUNT_BYTES) };
  } catch {
    return undefined;
  }
}

function keep(path, script, count) {
  const temporary = `${path}.${process.pid}`;
  try {
    const modules = Buffer.alloc(COUNT_BYTES);
    modules.writeUInt32LE(count);
    const content = Buffer.concat([modules, script.createCachedData()]);
    mkdirSync(dirname(path), { recursive: true });
    writeFileSync(temporary, Buffer.concat([digestOf(content), content]));
    renameSync(temporary, path);
  } catch {
    // The next start takes a little longer, nothing more.
    rmSync(temporary, { force: true });
  }
}

function digestOf(bytes) {
  return createHash('sha256').update(bytes).digest();
}
