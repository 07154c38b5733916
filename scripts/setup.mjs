// Makes a fresh clone ready: installs packages and builds the program where either is missing or out of date.
// Needs nothing but Node.js and npm.
import { spawnSync } from 'node:child_process';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { builtFrom, digestOf } from './files.mjs';

const root = fileURLToPath(new URL('..', import.meta.url));
process.chdir(root);
const [major, minor] = process.versions.node.split('.').map(Number);
if (major < 20 || (major === 20 && minor < 19))
  fail(`Node.js 20.19 or newer is needed; this is ${process.versions.node}`);

const lockDigest = digestOf(['package-lock.json', 'package.json']);
if (stampIsOld('node_modules/.emballage-setup', lockDigest)) {
  if (process.argv.includes('--no-packages')) fail('packages are missing or out of date; run `npm run setup`');
  run('installing packages', 'npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error']);
  writeFileSync('node_modules/.emballage-setup', lockDigest);
}
const sourceDigest = digestOf(builtFrom()) + lockDigest;
if (stampIsOld('dist/.emballage-setup', sourceDigest)) {
  run('building', process.execPath, ['scripts/build.mjs']);
  writeFileSync('dist/.emballage-setup', sourceDigest);
}

function stampIsOld(stamp, digest) {
  return !existsSync(stamp) || readFileSync(stamp, 'utf8') !== digest;
}

function run(what, program, args) {
  console.error(`setup: ${what} …`);
  const { status, error } = spawnSync(program, args, { stdio: ['ignore', 2, 2] });
  if (status !== 0) fail(`${what} failed${error ? `: ${error.message}` : ''}`);
}

function fail(message) {
  console.error(`setup: ${message}`);
  process.exit(3);
}
