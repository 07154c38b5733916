/** Before any test: the program that is tested is built from the sources as they are now. */
const { spawnSync } = require('node:child_process');
const { mkdtempSync, readFileSync, readdirSync, rmSync } = require('node:fs');
const { tmpdir } = require('node:os');
const { join } = require('node:path');

module.exports = () => {
  process.env.EMBALLAGE_LEFT_OUT_LIST = join(mkdtempSync(join(tmpdir(), 'emballage-left-out-')), 'list');
  const setup = join(__dirname, '../../scripts/setup.mjs');
  const { status } = spawnSync(process.execPath, [setup, '--no-packages'], { stdio: ['ignore', 2, 2] });
  if (status !== 0) throw new Error('the program could not be built');
  const started = join(__dirname, '../../node_modules/.cache/emballage-started');
  const own = `code-${readFileSync(join(__dirname, '../../dist/code.txt'), 'utf8')}`;
  for (const name of namesIn(started)) if (name !== own) rmSync(join(started, name), { recursive: true });
};

function namesIn(folder) {
  try {
    return readdirSync(folder);
  } catch {
    return [];
  }
}
