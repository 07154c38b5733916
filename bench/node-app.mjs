// Makes an application of many ES modules and CommonJS modules, about as large and as entangled as real ones.
import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';

const FOLDER_SIZE = 60;

/** @returns paths of all modules, relative to `root` */
export function makeApplication(root, modules) {
  let seed = 7;
  const next = (below) => ((seed = (Math.imul(seed, 1103515245) + 12345) >>> 0) >>> 8) % below;
  const files = [];
  const pathOf = (i) =>
    i === 0 ? 'app.mjs' : `part-${Math.floor(i / FOLDER_SIZE)}/m${i}.${i % 5 === 4 ? 'cjs' : 'mjs'}`;
  for (let i = 0; i < modules; i++) {
    // A tree that reaches every module, and some more edges on top.
    const targets = new Set([4 * i + 1, 4 * i + 2, 4 * i + 3, 4 * i + 4].filter((at) => at < modules));
    for (let k = next(3); k > 0 && i + 1 < modules; k--) targets.add(i + 1 + next(modules - i - 1));
    const path = pathOf(i);
    const code = path.endsWith('.cjs')
      ? commonJs(i, path, [...targets].map(pathOf), next)
      : esModule(i, path, [...targets].map(pathOf), next);
    mkdirSync(dirname(join(root, path)), { recursive: true });
    writeFileSync(join(root, path), code);
    files.push(path);
  }
  return files;
}

const specifier = (from, to) => (dirname(from) === '.' ? `./${to}` : `../${to}`);

function functions(i, next, use) {
  const made = [];
  for (let k = 0; k < 8; k++)
    made.push(`/** Value ${k} of part ${i}. */
function value${k}(input, { scale = ${next(9) + 1}, offset } = {}) {
  const steps = [];
  for (let at = 0; at < input.length; at += 1) {
    const item = input[at];
    if (item === undefined || item === null) continue;
    const next = typeof item === 'number' ? item * scale + (offset ?? ${next(90)}) : String(item).length;
    steps.push({ at, item, next, text: \`step \${at}: \${next}\` });
  }
  return steps.filter(({ next }) => next % 2 === ${k % 2}).map(({ text, next }) => ({ text, next${k % 3 === 0 ? `, more: ${use}` : ''} }));
}
`);
  return made.join('\n');
}

function esModule(i, path, targets, next) {
  const imports = targets.map((to, k) =>
    to.endsWith('.cjs')
      ? `import part${k} from '${specifier(path, to)}';`
      : `import { total as part${k} } from '${specifier(path, to)}';`,
  );
  const parts = targets.map((to, k) => (to.endsWith('.cjs') ? `part${k}.total` : `part${k}`));
  return `${imports.join('\n')}
${functions(i, next, parts.length === 0 ? 'scale' : `typeof ${parts[0]}`)}
export const name = 'part ${i}';
export function total(input = [${i}]) {
  return value0(input).length + value1(input).length${parts.map((part) => ` + ${part}.length`).join('')};
}
export function unused(input) {
  return value7(input, { offset: 1 });
}
${i === 0 ? 'export function run(event) {\n  return { total: total(event.data.levels) };\n}\n' : ''}`;
}

function commonJs(i, path, targets, next) {
  return `'use strict';
${targets.map((to, k) => (to.endsWith('.cjs') ? `const part${k} = require('${specifier(path, to)}');` : `const part${k} = () => import('${specifier(path, to)}');`)).join('\n')}
${functions(i, next, 'scale')}
exports.total = (input = [${i}]) => value0(input).length + value1(input).length;
exports.parts = [${targets.map((_, k) => `part${k}`).join(', ')}];
`;
}
