/** Preloaded: says at the end which modules of the program were loaded, and how many bytes of source they are. */
const fs = require('node:fs');
const Module = require('node:module');

const loaded = [];
// What has another ending is loaded as `.js`.
for (const ending of ['.js', '.json']) {
  const load = Module._extensions[ending];
  Module._extensions[ending] = (module, path) => {
    loaded.push([path, fs.statSync(path).size]);
    return load(module, path);
  };
}
process.on('exit', () => fs.writeFileSync(process.env.LOADED, JSON.stringify(loaded)));
