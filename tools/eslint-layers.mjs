// An ESLint rule that holds the house's one direction: a file may import from its own folder and from layers below.
import { dirname, join, relative, sep } from 'node:path';

/** From the lowest layer up. A folder may import from those before it, never from those after it. */
const LAYERS = [
  'core/base',
  'core/formats',
  'core/disk',
  'core/sheet',
  'core/fileset',
  'core/sources',
  'core/toolchains',
  'core/languages',
  'core/forms',
  'core/waybill',
  'core/rules',
  'core/pipeline',
  'standins',
  'cli',
];

/** Modules that the computing layers may not use: they print, end the program, read the environment or the network. */
const FORBIDDEN_IN_CORE = new Set(['http', 'https', 'net', 'readline', 'process', 'yargs', 'picocolors', 'cli-table3']);
const FORBIDDEN_CALLS = new Set([
  'console',
  'Date.now',
  'process.exit',
  'process.stdout',
  'process.stderr',
  'process.env',
  'process.cwd',
]);

function layerOf(path) {
  return LAYERS.findIndex((layer) => path === layer || path.startsWith(`${layer}/`));
}

export const layers = {
  meta: { type: 'problem', schema: [], docs: { description: 'imports go downwards only' } },
  create(context) {
    const file = relative(join(context.cwd, 'src'), context.filename).split(sep).join('/');
    const own = layerOf(file);
    if (own < 0) return {};
    const inCore = file.startsWith('core/');
    const check = (node, source) => {
      if (inCore && FORBIDDEN_IN_CORE.has(source.replace(/^node:/, '')))
        context.report({ node, message: `the core does not import ${source}` });
      if (!source.startsWith('.')) return;
      const target = join(dirname(file), source).split(sep).join('/');
      const other = layerOf(target);
      if (other < 0)
        context.report({ node, message: `${target} is in no known layer; add it to tools/eslint-layers.mjs` });
      else if (other > own)
        context.report({ node, message: `${LAYERS[own]} is below ${LAYERS[other]} and must not import from it` });
    };
    return {
      ImportDeclaration: (node) => check(node, node.source.value),
      ExportNamedDeclaration: (node) => node.source && check(node, node.source.value),
      ExportAllDeclaration: (node) => check(node, node.source.value),
      ImportExpression: (node) => node.source.type === 'Literal' && check(node, String(node.source.value)),
      MemberExpression(node) {
        if (!inCore || node.computed || node.object.type !== 'Identifier') return;
        const name = `${node.object.name}.${node.property.name}`;
        if (FORBIDDEN_CALLS.has(name) || FORBIDDEN_CALLS.has(node.object.name))
          context.report({ node, message: `the core does not use ${name}; take it as a value` });
      },
    };
  },
};
