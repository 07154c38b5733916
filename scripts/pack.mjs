// Packs the program and the packages it uses into one text, which bin/load.js runs: reading one file is quick where
// finding and reading hundreds is not. A module still runs only when it is first asked for. What is large and seldom
// used stays a file, and so does all that is started in threads or other programs.
import { createRequire, isBuiltin } from 'node:module';
import { readdirSync, readFileSync, realpathSync } from 'node:fs';
import { join, relative, sep } from 'node:path';
import { tokenizer } from 'acorn';

const STAYS = /^node_modules\/(?:typescript|terser|spdx-license-list)\//;

/**
 * @param root absolute path of the folder that has `dist/` and `node_modules/`
 * @param entry relative to it
 * @returns as `pack`: twelve digits, the length of the list; the list, a line of JSON for each module: its path, where it begins behind
 * the list, how long it is, and which of them its requests lead to, by number; the modules, each a function as Node.js makes
 * of a CommonJS module. One byte a character. And the licences of all packages that they come from, since copies of their
 * code have to carry them.
 */
export function packProgram(root, entry) {
  const modules = new Map();
  const open = [entry];
  for (const path of open) {
    if (modules.has(path)) continue;
    const code = readFileSync(join(root, path), 'utf8');
    const links = path.endsWith('.json') ? {} : linksOf(root, path, code);
    modules.set(path, { text: wrapped(path, code), links });
    open.push(...Object.values(links));
  }
  const sorted = [...modules].sort(([a], [b]) => (a < b ? -1 : 1));
  const numbers = new Map(sorted.map(([path], i) => [path, i]));
  let start = 0;
  const lines = sorted.map(([path, { text, links }]) => {
    const to = Object.entries(links).map(([request, target]) => [request, numbers.get(target)]);
    const line = JSON.stringify([path, start, text.length, Object.fromEntries(to)]);
    start += text.length;
    return line;
  });
  const listText = ascii(lines.join('\n'));
  const pack = [String(listText.length).padStart(12, '0'), listText, ...sorted.map(([, { text }]) => text)].join('');
  return { pack, licences: licencesOf(root, [...modules.keys()]) };
}

/** @param paths of modules, relative to the root @returns for each package of others its name, version, licence and its text */
function licencesOf(root, paths) {
  const folders = paths.flatMap((path) => /^(?:.*\/)?node_modules\/(?:@[^/]+\/)?[^/]+(?=\/)/.exec(path)?.[0] ?? []);
  return [...new Set(folders)]
    .sort()
    .map((folder) => licenceOf(root, folder))
    .join(`\n${'-'.repeat(72)}\n\n`);
}

function licenceOf(root, folder) {
  const { name, version, license, author } = JSON.parse(readFileSync(join(root, folder, 'package.json'), 'utf8'));
  const texts = readdirSync(join(root, folder))
    .filter((file) =>
      /^(?:licen[cs]e|copying|notice)(?![a-z])(?:.*\.(?:md|txt|mit|apache2?))?$|^licen[cs]e[-.]\w+$/i.test(file),
    )
    .sort()
    .map((file) => readFileSync(join(root, folder, file), 'utf8').trim());
  if (typeof license !== 'string') throw new Error(`${folder}: its package.json says no licence`);
  const by = typeof author === 'object' ? author?.name : author;
  if (texts.length === 0) texts.push(`Its package has no text of the licence${by === undefined ? '' : `; by ${by}`}.`);
  return `${name} ${version}\n${license}\n\n${texts.join('\n\n')}\n`;
}

function wrapped(path, code) {
  const body = path.endsWith('.json') ? `module.exports = ${code.trim()};` : code.replace(/^#!.*/, '');
  return ascii(`(function (exports, require, module, __filename, __dirname) { ${body}\n})`);
}

/** Where the literal requests of a module lead, as far as that is packed too. */
function linksOf(root, path, code) {
  const require = createRequire(join(root, path));
  const links = {};
  for (const request of requestsIn(code)) {
    if (isBuiltin(request)) continue;
    let found;
    try {
      found = realpathSync(require.resolve(request));
    } catch {
      // Asked for in vain here; if it is ever run, it is asked for again.
      continue;
    }
    const target = relative(root, found).split(sep).join('/');
    if (/\.(?:c?js|json)$/.test(target) && !target.startsWith('..') && !STAYS.test(target)) links[request] = target;
  }
  return links;
}

/** Texts in `require('x')`. */
function requestsIn(code) {
  const tokens = [...tokenizer(code, { ecmaVersion: 'latest', allowHashBang: true })];
  return tokens.flatMap(({ type, value }, i) =>
    type.label === 'name' &&
    value === 'require' &&
    tokens[i + 1]?.type.label === '(' &&
    tokens[i + 2]?.type.label === 'string' &&
    tokens[i + 3]?.type.label === ')'
      ? [tokens[i + 2].value]
      : [],
  );
}

/** One byte a character, which is read fastest. Other characters stand in texts, patterns and comments only. */
function ascii(text) {
  return text.replace(/[^\0-\x7f]/g, (char) => `\\u${char.charCodeAt(0).toString(16).padStart(4, '0')}`);
}
