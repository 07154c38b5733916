/** What tests import of the sources is what was built of them: it is that which is delivered, and it is compiled once. */
const { existsSync } = require('node:fs');
const { join, relative, sep } = require('node:path');

const ROOT = join(__dirname, '../..');

/** A resolver of Jest: absolute path of what a request leads to. */
module.exports = (request, options) => {
  const found = options.defaultResolver(request, options);
  const path = relative(join(ROOT, 'src'), found);
  if (path.startsWith(`..${sep}`) || !path.endsWith('.ts') || path.endsWith('.test.ts')) return found;
  const built = join(ROOT, 'dist', `${path.slice(0, -'.ts'.length)}.js`);
  return existsSync(built) ? built : found;
};
