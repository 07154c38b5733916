// Runs what other versions of Node.js might do differently under each of them: the unit tests of the core, and a build and
// check of the program itself. The runtimes are packages of the npm registry, kept below node_modules/.cache.
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync } from 'node:fs';
import { arch } from 'node:os';
import { join, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';

process.chdir(fileURLToPath(new URL('..', import.meta.url)));
const VERSIONS = ['22', '24'];
// What starts other programs in other surroundings is the same whatever runs it, and takes long.
const TESTS = ['src/core', 'test/cli/build.test.ts', '--testPathIgnorePatterns', 'pipeline/prove'];
const folder = resolve('node_modules/.cache/runtimes');

function run(program, args, options = {}) {
  return spawnSync(program, args, { stdio: 'inherit', ...options }).status === 0;
}

function runtime(version) {
  const path = join(folder, 'node_modules', `runtime-${version}`, 'bin/node');
  if (existsSync(path)) return path;
  mkdirSync(folder, { recursive: true });
  const name = `runtime-${version}@npm:node-linux-${arch()}@${version}`;
  const options = ['--prefix', folder, '--no-audit', '--no-fund', '--silent', '--ignore-scripts'];
  if (!run('npm', ['install', ...options, name])) throw new Error(`Node.js ${version} could not be had`);
  return path;
}

let failed = false;
for (const version of VERSIONS) {
  const node = runtime(version);
  console.log(`under Node.js ${version}:`);
  const { stdout } = spawnSync(node, ['bin/emballage.js', '--version'], { encoding: 'utf8' });
  console.log(stdout.trim());
  if (!stdout.includes(`runtime v${version}.`)) failed = true;
  if (!run(node, ['node_modules/jest/bin/jest.js', '--ci', ...TESTS])) failed = true;
}
process.exitCode = failed ? 1 : 0;
