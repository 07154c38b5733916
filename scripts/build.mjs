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
cpSync('src/standins/host/runner.mjs', 'dist/standins/host/runner.mjs');
await import('./schemas.mjs');
