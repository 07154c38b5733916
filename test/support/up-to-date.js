/** Before any test: the program that is tested is built from the sources as they are now. */
const { spawnSync } = require('node:child_process');
const { join } = require('node:path');

module.exports = () => {
  const setup = join(__dirname, '../../scripts/setup.mjs');
  const { status } = spawnSync(process.execPath, [setup, '--no-packages'], { stdio: ['ignore', 2, 2] });
  if (status !== 0) throw new Error('the program could not be built');
};
