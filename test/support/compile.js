/** Makes JavaScript of a test’s TypeScript. Types are looked at by `npm run typecheck`, not here. */
const { createHash } = require('node:crypto');
const { readFileSync } = require('node:fs');
const ts = require('typescript');

const compilerOptions = {
  target: ts.ScriptTarget.ES2022,
  module: ts.ModuleKind.CommonJS,
  esModuleInterop: true,
  isolatedModules: true,
  inlineSourceMap: true,
  inlineSources: true,
};
const OWN = readFileSync(__filename, 'utf8');

module.exports = {
  process: (text, path) => ({ code: ts.transpileModule(text, { compilerOptions, fileName: path }).outputText }),
  getCacheKey: (text, path) => createHash('sha256').update([OWN, ts.version, path, text].join('\0')).digest('hex'),
};
