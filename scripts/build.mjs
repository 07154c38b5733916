// Builds dist/ from src/, afresh: compiles, copies what is no TypeScript, writes the JSON Schemas.
import { spawnSync } from 'node:child_process';
import { cpSync, rmSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

process.chdir(fileURLToPath(new URL('..', import.meta.url)));
rmSync('dist', { recursive: true, force: true });
const { status } = spawnSync(process.execPath, ['node_modules/typescript/bin/tsc', '-p', 'tsconfig.build.json'], {
  stdio: 'inherit',
});
if (status !== 0) process.exit(1);
// What is no TypeScript lies where it lies in src: adapters, runners, what is started in other programs.
cpSync('src', 'dist', {
  recursive: true,
  filter: (path) => !/\.(?:ts|java)$|\/(?:java|encoder)$/.test(path),
});
await import('./schemas.mjs');
