// Builds dist/ from src/, afresh: compiles, copies what is no TypeScript, writes the JSON Schemas.
import { spawnSync } from 'node:child_process';
import { cpSync, mkdirSync, rmSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

process.chdir(fileURLToPath(new URL('..', import.meta.url)));
rmSync('dist', { recursive: true, force: true });
const { status } = spawnSync(process.execPath, ['node_modules/typescript/bin/tsc', '-p', 'tsconfig.build.json'], {
  stdio: 'inherit',
});
if (status !== 0) process.exit(1);
mkdirSync('dist/standins/host', { recursive: true });
for (const name of ['runner.mjs', 'runner.py', 'runner.jar'])
  cpSync(`src/standins/host/${name}`, `dist/standins/host/${name}`);
cpSync('src/core/forms/starters', 'dist/core/forms/starters', { recursive: true });
// The same classes start functions of the JVM here and in images.
cpSync('src/standins/host/runner.jar', 'dist/core/forms/starters/start.jar');
for (const name of ['compile-bytecode.py', 'build-wheel.py'])
  cpSync(`src/core/toolchains/${name}`, `dist/core/toolchains/${name}`);
cpSync('src/core/languages/node/adapters', 'dist/core/languages/node/adapters', { recursive: true });
cpSync('src/core/languages/node/link/prelude.js', 'dist/core/languages/node/link/prelude.js');
cpSync('src/core/languages/python/adapters', 'dist/core/languages/python/adapters', { recursive: true });
await import('./schemas.mjs');
