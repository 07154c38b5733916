// An ESLint rule: the core prints nothing, ends no program, reads neither environment nor clock nor network.
import { relative, sep } from 'node:path';

const FORBIDDEN_MODULES = new Set(['http', 'https', 'net', 'readline', 'process', 'yargs', 'picocolors', 'cli-table3']);
const FORBIDDEN_NAMES = new Set([
  'console',
  'Date.now',
  'process.exit',
  'process.stdout',
  'process.stderr',
  'process.env',
  'process.cwd',
]);

export const pureCore = {
  meta: { type: 'problem', schema: [], docs: { description: 'the core takes what it needs as values' } },
  create(context) {
    const file = relative(context.cwd, context.filename).split(sep).join('/');
    if (!file.startsWith('src/core/')) return {};
    return {
      ImportDeclaration(node) {
        if (FORBIDDEN_MODULES.has(node.source.value.replace(/^node:/, '')))
          context.report({ node, message: `the core does not import ${node.source.value}` });
      },
      MemberExpression(node) {
        if (node.computed || node.object.type !== 'Identifier') return;
        const name = `${node.object.name}.${node.property.name}`;
        if (FORBIDDEN_NAMES.has(name) || FORBIDDEN_NAMES.has(node.object.name))
          context.report({ node, message: `the core does not use ${name}; take it as a value` });
      },
    };
  },
};
