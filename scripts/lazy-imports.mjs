// What a module imports is loaded when it is first used, so that a command loads only what it comes to. Works on what
// the TypeScript compiler writes, in which an import is `const x_1 = require("x");`, or `var`, and every use of it names `x_1`.
// None of our modules does anything by being loaded, so it is all one when that happens.
import { tokenizer } from 'acorn';

const IMPORT = /^(?:const|var) (\w+_\d+) = ((?:__import(?:Star|Default)\()?require\("[^"]+"\)\)?);$/gm;

/** @param code of a CommonJS module @returns the same with its imports where they are used */
export function withLazyImports(code) {
  const imports = new Map();
  for (const { 0: text, 1: name, 2: load, index } of code.matchAll(IMPORT))
    imports.set(name, { load, start: index, end: index + text.length });
  if (imports.size === 0) return code;
  const edits = [...imports].map(([name, { start, end }]) => ({ start, end, text: `let ${name};` }));
  for (const { type, value, start, end } of tokenizer(code, { ecmaVersion: 'latest', allowHashBang: true })) {
    const found = type.label === 'name' ? imports.get(value) : undefined;
    if (found === undefined || (start >= found.start && end <= found.end)) continue;
    edits.push({ start, end, text: `(${value} ??= ${found.load})` });
  }
  edits.sort((a, b) => a.start - b.start);
  let out = '';
  let at = 0;
  for (const { start, end, text } of edits) {
    out += code.slice(at, start) + text;
    at = end;
  }
  return out + code.slice(at);
}
